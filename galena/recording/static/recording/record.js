// Record: the large numbers, the clock and the trace of the run as it forms; Space starts and stops.
// Owns the canvases of the traces. Listens to the live events and to keys. A watcher that missed
// readings asks for them by index, so a late or slow page shows the whole run.
import { listen, unpack } from "../shell/js/live.js";
import { drawAxes, fitted, rem, scales } from "../shell/js/axes.js";
import { clipTo, drawLine, drawMarks, loadMarks } from "../shell/js/painter.js";
import { say } from "../shell/js/frame.js";

const main = document.querySelector("main.record");
const clock = document.getElementById("clock");
const taken = document.getElementById("taken");
const markOf = loadMarks();
let run = null; // what is being recorded, or was recorded last, on this page

class Growing { // numbers that come in pieces, without copying all for each
  constructor() { this.room = new Float64Array(4096); this.length = 0; }
  push(piece) {
    if (this.length + piece.length > this.room.length) {
      const larger = new Float64Array(2 * (this.length + piece.length));
      larger.set(this.room.subarray(0, this.length));
      this.room = larger;
    }
    this.room.set(piece, this.length);
    this.length += piece.length;
  }
  get all() { return this.room.subarray(0, this.length); }
}

function follow(status) {
  if (status.recording === null || run?.id === status.recording) return;
  const canvases = document.getElementById("traces");
  canvases.replaceChildren();
  run = { id: status.recording, number: status.number, duration: status.duration, planned: status.planned, ended: false };
  run.streams = status.streams.map((stream) => ({
    missed: stream.missed, asking: false, t: new Growing(),
    graphs: stream.quantities.map((quantity) => {
      const canvas = document.createElement("canvas");
      canvas.setAttribute("role", "img");
      canvas.setAttribute("aria-label", `${quantity.symbol} over time`);
      canvases.append(canvas);
      return { quantity, canvas, y: new Growing(), lo: Infinity, hi: -Infinity };
    }),
  }));
  document.body.dispatchEvent(new Event("run-list-changed"));
  document.getElementById("planned").textContent = `of ${minutes(run.duration)}`;
  run.streams.forEach((_, place) => ask(place));
}

function take(place, t, columns) {
  const stream = run.streams[place];
  stream.t.push(t);
  stream.graphs.forEach((graph, i) => {
    graph.y.push(columns[i]);
    for (const value of columns[i]) { if (value < graph.lo) graph.lo = value; if (value > graph.hi) graph.hi = value; }
  });
}

async function ask(place) { // for the readings from where this page stands
  const [asked, stream] = [run, run.streams[place]];
  if (stream.asking) return;
  stream.asking = true;
  try {
    const answer = await fetch(`${stream.missed}?from=${stream.t.length}&stream=${place}`);
    if (!answer.ok || asked !== run) return;
    const rows = Number(answer.headers.get("X-Rows"));
    const table = new Float64Array(await answer.arrayBuffer());
    const count = table.length / rows;
    if (Number(answer.headers.get("X-First-Index")) !== stream.t.length) return;
    const columns = [];
    for (let row = 1; row < rows; row++) columns.push(table.subarray(row * count, (row + 1) * count));
    take(place, table.subarray(0, count), columns);
  } finally { stream.asking = false; }
}

const events = listen(main.dataset.events, {
  strips: ({ strips }) => {
    for (const one of strips) {
      const shown = document.querySelector(`#numbers [data-channel="${one.channel}"] [data-shown]`);
      if (shown) shown.textContent = one.text;
    }
  },
  run: ({ recording }) => refresh(recording),
  "run-readings": (batch) => {
    if (run?.id !== batch.run) return;
    const stream = run.streams[batch.stream];
    const { t, columns } = unpack(batch);
    const known = stream.t.length - batch.first; // readings of this batch that are here already
    if (known < 0) { ask(batch.stream); return; }
    if (known >= t.length || stream.asking) return;
    take(batch.stream, t.subarray(known), columns.map((column) => column.subarray(known)));
  },
  gap: () => run?.streams.forEach((_, place) => ask(place)),
  hello: () => { say(""); refresh(undefined); },
});
events.onerror = () => say("No connection to the server. What is being recorded goes on; the picture catches up.");

// The plan is only drawn anew when a run began or ended, so that nothing typed is lost.
async function refresh() {
  const answer = await fetch(main.dataset.status).catch(() => null);
  if (!answer?.ok) return;
  const status = await answer.json();
  const shown = JSON.parse(document.getElementById("status").textContent).recording;
  if (status.recording !== shown) htmx.ajax("GET", main.dataset.panel, { target: "#plan", swap: "outerHTML" });
  const trouble = document.getElementById("trouble");
  if (trouble) trouble.textContent = status.trouble ?? "";
  if (status.recording !== null) follow(status);
  else if (run && !run.ended) await end();
}

async function end() { // the last readings may have come between two events
  run.ended = true;
  await Promise.all(run.streams.map((_, place) => ask(place)));
  document.body.dispatchEvent(new Event("run-list-changed"));
}

document.body.addEventListener("plan-changed", () => {
  const status = JSON.parse(document.getElementById("status").textContent);
  if (status.recording !== null) follow(status);
  else if (run && !run.ended) end();
});
follow(JSON.parse(document.getElementById("status").textContent));
setInterval(() => { if (run && !run.ended) refresh(); }, 2000);
document.addEventListener("visibilitychange", () => { if (!document.hidden) refresh(); });

document.addEventListener("keydown", (event) => {
  if (event.code !== "Space" || event.repeat || event.ctrlKey || event.altKey || event.metaKey) return;
  if (wantsSpace(event.target)) return;
  event.preventDefault();
  document.querySelector("[data-space]:not(:disabled)")?.click();
});

// Space belongs to a field that is typed in, and to a box or button that was reached by keyboard.
function wantsSpace(target) {
  const own = target.closest("input:not([type=range]), textarea, select, button, a, summary");
  return own !== null && (!own.matches("[type=checkbox], button, a, summary") || own.matches(":focus-visible"));
}

function minutes(seconds) {
  return `${String(Math.floor(seconds / 60)).padStart(2, "0")}:${(seconds % 60).toFixed(1).padStart(4, "0")}`;
}

let painted = ""; // what the last picture showed: it is painted anew only when that changed

function paint() {
  const now = run && `${run.id} ${innerWidth} ${innerHeight} ${devicePixelRatio} ${run.streams.map(({ t }) => t.length)}`;
  if (run && now !== painted) {
    painted = now;
    const latest = Math.max(0, ...run.streams.map(({ t }) => (t.length ? t.all[t.length - 1] : 0)));
    clock.textContent = minutes(latest);
    const counts = run.streams.map(({ t }) => t.length.toLocaleString("en").replaceAll(",", "\u2009")).join(" + ");
    taken.textContent = `run ${run.number}: ${counts} readings`;
    const graphs = run.streams.flatMap((stream) => stream.graphs.map((graph) => [stream, graph]));
    graphs.forEach(([stream, graph], place) => paintGraph(stream, graph, place === graphs.length - 1));
  }
  requestAnimationFrame(paint);
}

function paintGraph(stream, graph, last) {
  const { context, width, height } = fitted(graph.canvas);
  const size = rem();
  const box = { left: 4.2 * size, right: width - size, top: 0.8 * size, bottom: height - (last ? 3 : 1.9) * size };
  const room = graph.hi > graph.lo ? (graph.hi - graph.lo) * 0.06 : 1;
  const y = graph.lo <= graph.hi ? [graph.lo - room, graph.hi + room] : [0, 1];
  const scale = scales(box, [0, run.duration], y);
  drawAxes(context, scale, { xLabel: last ? ["t", "s"] : null, yLabel: [graph.quantity.symbol, graph.quantity.unit] });
  if (!stream.t.length) return;
  clipTo(context, box);
  const [xs, ys] = thinned(stream.t.all, graph.y.all, box.right - box.left);
  const mark = { ...markOf(run.number), dash: [] };
  drawLine(context, scale, mark, xs, ys);
  drawMarks(context, scale, mark, xs, ys, run.number);
  context.restore();
}

// Of many readings keep what can be seen: the lowest and highest of each pixel column.
function thinned(t, y, columns) {
  if (t.length < 4 * columns) return [t, y];
  const [xs, ys] = [[], []];
  const per = t.length / columns;
  for (let column = 0; column < columns; column++) {
    const [from, to] = [Math.floor(column * per), Math.floor((column + 1) * per)];
    let [lo, hi] = [from, from];
    for (let i = from; i < to; i++) { if (y[i] < y[lo]) lo = i; if (y[i] > y[hi]) hi = i; }
    for (const i of lo < hi ? [lo, hi] : [hi, lo]) { xs.push(t[i]); ys.push(y[i]); }
  }
  return [xs, ys];
}

requestAnimationFrame(paint);
