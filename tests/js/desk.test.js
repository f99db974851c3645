// What a sheet draws and shows, looked at without a browser.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import { areasOf, curvesOf, tracesOf } from "../../galena/desk/static/desk/plot_data.js";
import { filled, placeIn, sharing } from "../../galena/desk/static/desk/fillings.js";
import { isNumbered } from "../../galena/desk/static/desk/sides.js";
import { Cursor } from "../../galena/desk/static/desk/cursor.js";
import { rowsOf } from "../../galena/desk/static/desk/ruler_rows.js";
import { View } from "../../galena/desk/static/desk/view.js";
import { answered, inTurn } from "../../galena/shell/static/shell/js/in_turn.js";

const cases = JSON.parse(readFileSync(new URL("cases.json", import.meta.url), "utf8"));
const layout = {
  x: { lo: null, hi: null, log: false },
  graphs: [
    {
      id: 1,
      residual: false,
      left: { lo: null, hi: null, log: false },
      right: { lo: null, hi: null, log: false },
      third: { lo: null, hi: null, log: false },
      traces: [
        { quantity: 7, side: "left" },
        { quantity: 8, side: "right" },
      ],
    },
    {
      id: 2,
      residual: true,
      left: {},
      right: {},
      third: {},
      traces: [{ quantity: 7, side: "left" }],
    },
  ],
};
const overlay = {
  curves: [
    { id: 31, quantity: 7, parts: ["fitted"] },
    { id: 32, quantity: 9, parts: ["elsewhere"] },
  ],
  areas: [{ quantity: 8, lo: 1, hi: 2 }],
};

test("curves and areas stand in the graph of their quantity, on its axis", () => {
  assert.deepEqual(curvesOf(layout, overlay, null, 1), [
    { curve: overlay.curves[0], side: "left" },
  ]);
  assert.deepEqual(areasOf(layout, overlay, 1), [{ area: overlay.areas[0], side: "right" }]);
  assert.deepEqual(curvesOf(layout, overlay, null, 2), []);
  assert.deepEqual(areasOf(layout, overlay, 2), []);
});

test("while a hand moves a model its curve and residuals move along", () => {
  const preview = {
    id: 31,
    parts: ["moved"],
    residuals: [{ graph: 2, x: [1, 2], y: [0.5, -0.5], title: "by hand" }],
  };
  const [{ curve }] = curvesOf(layout, overlay, preview, 1);
  assert.deepEqual([curve.parts, curve.hand], [["moved"], true]);
  const traces = [
    { graph: 1, kind: "points", n: 9 },
    { graph: 2, kind: "points", n: 9, uY: [1] },
  ];
  assert.deepEqual(tracesOf(traces, preview, 1), [traces[0]]);
  const [moved] = tracesOf(traces, preview, 2);
  assert.deepEqual([moved.n, moved.y, moved.uY], [2, [0.5, -0.5], undefined]);
});

test("a view is not zoomed or slid to where no number is", () => {
  globalThis.fetch = async () => ({ ok: true });
  const view = new View(structuredClone(layout), "", () => {});
  view.set("x", [0, 10], false);
  assert.deepEqual(view.x, [0, 10]);
  for (const [lo, hi, log] of [
    [5, 5, false],
    [0, 1e301, false],
    [-1, 10, true],
    [NaN, 1, false],
  ])
    view.set("x", [lo, hi], log);
  assert.deepEqual(view.x, [0, 10]);
  view.centre(100, { x: [0, 10] });
  assert.deepEqual(view.x, [95, 105]);
});

test("spans that overlap stand in rows, those that do not in one", () => {
  const span = (id, lo, hi) => ({ id, lo, hi });
  const apart = rowsOf([span(1, 0, 2), span(2, 2, 3), span(3, 5, 6)]);
  assert.deepEqual([...apart.rows.values()], [0, 0, 0]);
  assert.equal(apart.count, 1);
  const over = rowsOf([
    span(1, 1, 2),
    span(2, 0, 9),
    span(3, 3, 4),
    span(4, 3.5, 5),
    span(5, 3, 4),
  ]);
  assert.deepEqual(
    [2, 1, 3, 4, 5].map((id) => over.rows.get(id)),
    [0, 1, 1, 2, 2],
  );
  assert.equal(over.count, 3);
  assert.equal(rowsOf([]).count, 1);
});

test("two quantities of one graph never have the same filling and dashes", () => {
  assert.deepEqual(
    [placeIn(layout, 1, 7), placeIn(layout, 1, 8), placeIn(layout, 2, 7)],
    [0, 1, null],
  );
  const mark = { colour: "blue", dash: [9] };
  assert.equal(filled(mark, null), mark);
  const looks = [0, 1, 2].map((place) => filled(mark, place));
  assert.equal(new Set(looks.map(({ dash, filling }) => `${dash} ${filling}`)).size, 3);
  assert.deepEqual(
    sharing(layout).map(({ quantity, place }) => [quantity, place]),
    [
      [7, 0],
      [8, 1],
    ],
  );
});

test("the dashes of quantities are those of figures on paper", () => {
  const mark = { colour: "blue", dash: [9] };
  assert.deepEqual(
    cases.dashes.map((_, place) => filled(mark, place).dash),
    cases.dashes,
  );
});

test("the left axis has numbers where something is on it, or nothing on any", () => {
  const graph = (...sides) => ({ traces: sides.map((side) => ({ side })) });
  const numbered = (shown) => ["left", "right", "third"].filter((side) => isNumbered(shown, side));
  assert.deepEqual(numbered(graph()), ["left"]);
  assert.deepEqual(numbered(graph("third")), ["third"]);
  assert.deepEqual(numbered(graph("left", "right", "third")), ["left", "right", "third"]);
});

test("what is done at the cursor is done where it was sent to, however quick the keys are", async () => {
  const log = [];
  let asked = 0;
  globalThis.fetch = async (url) => {
    asked += 1;
    const query = new URLSearchParams(String(url).split("?")[1]);
    const x = Math.max(0, Math.min(20, Number(query.get("x")))) + Number(query.get("step"));
    return /** @type {any} */ ({ status: 200, json: async () => ({ x }) });
  };
  const ended = new Promise((done) => {
    const cursor = new Cursor({
      url: "/at",
      start: () => 3,
      shown: () => log.push(`at ${cursor.read.x}`),
      act: (name) => {
        log.push(`${name} ${cursor.read.x}`);
        if (log.length === 6) done();
      },
    });
    cursor.go({ x: -1e300 });
    cursor.step(10);
    cursor.atCursor("mark off");
    for (const x of [5, 6, 1e300]) cursor.go({ x }); // only the last place is of interest
    cursor.atCursor("mark off");
    cursor.atCursor("marker");
  });
  await ended;
  assert.deepEqual(log, ["at 0", "at 10", "mark off 10", "at 20", "mark off 20", "marker 20"]);
  assert.equal(asked, 3);
});

test("a change waits for the answer to the one before, even to one that fails", async () => {
  const done = [];
  let tell;
  const first = inTurn(() => new Promise((_, refuse) => (tell = refuse)));
  const second = inTurn(async () => done.push("second"));
  await Promise.resolve();
  assert.deepEqual(done, []);
  tell(new Error("no answer"));
  await assert.rejects(first);
  await second;
  inTurn(async () => done.push("third"));
  await answered();
  assert.deepEqual(done, ["second", "third"]);
});
