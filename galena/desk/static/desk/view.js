// Which part of the data a sheet shows: limits of x and of each graph's axes, null where all is
// shown. Zooms and slides in pixels, so that it is the same on a logarithmic axis. What a hand has
// moved is kept by the server a moment later.
import { contentOf } from "../shell/js/answers.js";
import { post } from "../shell/js/frame.js";
import { inTurn } from "../shell/js/in_turn.js";
import { SIDES } from "./sides.js";

const LEAST = 1e-9; // limits closer than this, beside their size, are not zoomed further
const ends = ({ lo, hi }) => (lo === null || hi === null ? null : [lo, hi]);

export class View {
  constructor(layout, url, changed) {
    this.layout = layout;
    this.url = url;
    this.changed = changed;
    this.touched = new Set(); // the axes that a hand moved and that are not kept yet
    this.x = ends(layout.x);
    this.graphs = new Map(
      layout.graphs.map((graph) => [
        graph.id,
        Object.fromEntries(SIDES.map((side) => [side, ends(graph[side])])),
      ]),
    );
  }

  // The limits as they are: {x, graphs: Map of id to limits by side}.
  limits(whole) {
    const all = whole ?? { x: this.layout.x.log ? [1, 10] : [0, 10], graphs: new Map() };
    const of = (id, side, log) =>
      this.graphs.get(id)[side] ?? all.graphs.get(id)?.[side] ?? (log ? [1, 10] : [0, 1]);
    const graphs = this.layout.graphs.map((graph) => [
      graph.id,
      Object.fromEntries(SIDES.map((side) => [side, of(graph.id, side, graph[side].log)])),
    ]);
    return { x: this.x ?? all.x, graphs: new Map(graphs) };
  }

  // part: {axis: "x" | "plot" | a side, graph}; places in pixels.
  zoom(part, scales, factor, atX, atY) {
    const any = scales.values().next().value.left;
    const scale = scales.get(part.graph) ?? { left: any };
    const { box } = any;
    const about = (place, first, last) => [
      place + (first - place) * factor,
      place + (last - place) * factor,
    ];
    if (part.axis === "x" || part.axis === "plot") {
      this.set(
        "x",
        about(Math.min(Math.max(atX, box.left), box.right), box.left, box.right).map(any.fromX),
        any.xLog,
      );
    }
    for (const side of SIDES) {
      if (part.axis !== side && part.axis !== "plot") continue;
      const { box: own, fromY, yLog } = scale[side] ?? scale.left;
      if (!scale[side]) continue;
      this.set(
        side,
        about(Math.min(Math.max(atY, own.top), own.bottom), own.bottom, own.top).map(fromY),
        yLog,
        part.graph,
      );
    }
    this.moved();
  }

  slide(part, scales, byX, byY) {
    const any = scales.values().next().value.left;
    if (part.axis === "x" || part.axis === "plot")
      this.set("x", [any.box.left - byX, any.box.right - byX].map(any.fromX), any.xLog);
    for (const side of SIDES) {
      const scale = scales.get(part.graph)?.[side];
      if (!scale || (part.axis !== side && part.axis !== "plot")) continue;
      this.set(
        side,
        [scale.box.bottom - byY, scale.box.top - byY].map(scale.fromY),
        scale.yLog,
        part.graph,
      );
    }
    this.moved();
  }

  /** @param {any} limits */
  set(axis, limits, log, graph = undefined) {
    const [lo, hi] = limits;
    const large = Math.max(Math.abs(lo), Math.abs(hi));
    if (!(hi > lo) || large > 1e300 || (hi - lo < LEAST * large && large > 0) || (log && lo <= 0))
      return;
    this.put(axis, graph, [lo, hi]);
  }

  put(axis, graph, limits) {
    if (axis === "x") this.x = limits;
    else this.graphs.get(graph)[axis] = limits;
    this.touched.add(axis === "x" ? "x" : `${graph} ${axis}`);
  }

  // The limits that were set, by their axes; null where all is shown.
  own() {
    const named = this.layout.graphs.flatMap(({ id }) =>
      SIDES.map((side) => [`${id} ${side}`, this.graphs.get(id)[side]]),
    );
    return Object.fromEntries([["x", this.x], ...named]);
  }

  // Show what another Desk shows; nothing of it is kept here.
  follow(limits) {
    if (JSON.stringify(limits) === JSON.stringify(this.own())) return;
    this.x = limits.x ?? null;
    for (const [id, sides] of this.graphs)
      for (const side of SIDES) sides[side] = limits[`${id} ${side}`] ?? null;
    this.changed();
  }

  // Put x so that a place is in sight.
  centre(x, limits) {
    const half = (limits.x[1] - limits.x[0]) / 2;
    this.set("x", [x - half, x + half], this.layout.x.log);
    this.moved();
  }

  all(whole, fromZero) {
    this.put("x", null, fromZero && whole && !this.layout.x.log ? whole.zero : null);
    for (const graph of this.layout.graphs) {
      const limits = whole?.graphs.get(graph.id);
      for (const side of SIDES)
        this.put(side, graph.id, fromZero && limits && !graph[side].log ? limits.zero[side] : null);
    }
    this.moved();
  }

  // Show all of one axis, or from zero.
  allOf({ axis, graph }, whole, fromZero) {
    const log =
      axis === "x"
        ? this.layout.x.log
        : this.layout.graphs.find(({ id }) => id === graph)[axis].log;
    const limits = axis === "x" ? whole?.zero : whole?.graphs.get(graph)?.zero[axis];
    this.put(axis, graph, fromZero && limits && !log ? limits : null);
    this.moved();
  }

  // What is typed for an axis wins over what a hand moved just before.
  yieldTo({ axis, graph }) {
    this.touched.delete(axis === "x" ? "x" : `${graph} ${axis}`);
  }

  moved() {
    this.changed();
    clearTimeout(this.waiting);
    this.waiting = setTimeout(() => this.keep(), 500);
  }

  async keep() {
    clearTimeout(this.waiting);
    this.waiting = null;
    // Only what this hand moved: what was typed or moved elsewhere meanwhile stays.
    const moved = { graphs: {} };
    for (const axis of this.touched) {
      const [graph, side] = axis.split(" ");
      if (axis === "x") moved.x = this.x;
      else (moved.graphs[graph] ??= {})[side] = this.graphs.get(Number(graph))[side];
    }
    this.touched.clear();
    const view = JSON.stringify(moved);
    await inTurn(async () => {
      const answer = await post(this.url, { view });
      const acts = answer?.ok ? await contentOf(answer, "text") : null;
      if (acts) htmx.swap("#acts", acts, { swapStyle: "outerHTML" });
    });
  }
}
