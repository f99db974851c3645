// The traces of a run: what is known of it so far, and its picture on one canvas a quantity.
// Owns the canvases in #traces. Computes nothing that anyone writes down.
import { contentOf } from "../shell/js/answers.js";
import { drawAxes, fitted, rem, scales } from "../shell/js/axes.js";
import { COLOURS } from "../shell/js/colours.js";
import { asRead } from "../shell/js/decimal_sign.js";
import { columnsOf, Extremes } from "../shell/js/extremes.js";
import {
  clipTo,
  drawBand,
  drawLine,
  drawMarks,
  loadMarks,
  marksAlong,
} from "../shell/js/painter.js";

const markOf = loadMarks();

export class Growing {
  // numbers that come in pieces, without copying all for each
  constructor() {
    this.room = new Float64Array(4096);
    this.length = 0;
  }
  push(piece) {
    if (this.length + piece.length > this.room.length) {
      const larger = new Float64Array(2 * (this.length + piece.length));
      larger.set(this.room.subarray(0, this.length));
      this.room = larger;
    }
    this.room.set(piece, this.length);
    this.length += piece.length;
  }
  get all() {
    return this.room.subarray(0, this.length);
  }
}

// Put a run in front, with nothing of it known yet. `told` has number and streams, each with
// quantities; `from` and `until` are its ends, or null where it grows until it is stopped.
let begun = 0;

export function begin(head, from, until) {
  const traces = document.getElementById("traces");
  traces.replaceChildren();
  return {
    ...head,
    from,
    until,
    at: null,
    turn: ++begun,
    streams: head.streams.map((stream) => ({
      ...stream,
      asking: null, // what is asked for of it, while it is
      t: new Growing(),
      graphs: stream.quantities.map((quantity) => {
        const canvas = document.createElement("canvas");
        canvas.setAttribute("role", "img");
        canvas.setAttribute("aria-label", `${quantity.symbol} over time`);
        traces.append(canvas);
        return { quantity, canvas, y: new Growing(), lo: Infinity, hi: -Infinity };
      }),
    })),
  };
}

export function take(stream, t, columns) {
  stream.t.push(t);
  stream.graphs.forEach((graph, i) => {
    graph.y.push(columns[i]);
    for (const value of columns[i]) {
      if (value < graph.lo) graph.lo = value;
      if (value > graph.hi) graph.hi = value;
    }
  });
}

// Split what the server sends of a stream: t and then its columns, all of one length.
// Null where not all of it came.
export async function unpackRows(answer) {
  const bytes = await contentOf(answer, "arrayBuffer");
  if (!bytes) return null;
  const rows = Number(answer.headers.get("X-Rows"));
  const table = new Float64Array(bytes);
  const count = table.length / rows;
  const row = (i) => table.subarray(i * count, (i + 1) * count);
  return { t: row(0), columns: Array.from({ length: rows - 1 }, (_, i) => row(i + 1)) };
}

export function lastTime(run) {
  return Math.max(
    run.from,
    ...run.streams.map(({ t }) => (t.length ? t.all[t.length - 1] : run.from)),
  );
}

// Tell how many readings come at or before a time: where it stands among ascending times.
export function countUntil(t, at) {
  let [lo, hi] = [0, t.length];
  while (lo < hi) {
    const middle = (lo + hi) >> 1;
    if (t[middle] <= at) lo = middle + 1;
    else hi = middle;
  }
  return lo;
}

export function signature(run) {
  // what the picture depends on
  return `${run.turn} ${run.at} ${innerWidth} ${innerHeight} ${devicePixelRatio} ${run.streams.map(({ t }) => t.length)} ${run.derivedTurn} ${run.derived?.length}`;
}

export function paintRun(run) {
  const graphs = run.streams.flatMap((stream) => stream.graphs.map((graph) => [stream, graph]));
  for (const trace of run.derived ?? []) graphs.push([trace, trace.graph]);
  graphs.forEach(([stream, graph], place) =>
    paintGraph(run, stream, graph, place === graphs.length - 1, place === 0),
  );
}

function paintGraph(run, stream, graph, last, first) {
  const { context, width, height } = fitted(graph.canvas);
  const size = rem();
  const box = {
    left: 4.2 * size,
    right: width - size,
    top: 0.8 * size,
    bottom: height - (last ? 3 : 1.9) * size,
  };
  const room = graph.hi > graph.lo ? (graph.hi - graph.lo) * 0.06 : 1;
  const y = graph.lo <= graph.hi ? [graph.lo - room, graph.hi + room] : [0, 1];
  const until = run.until ?? Math.max(10, lastTime(run) * 1.2);
  const scale = scales(box, [run.from, until > run.from ? until : run.from + 1], y);
  if (run.before) shadeBefore(context, box, scale);
  drawAxes(context, scale, {
    xLabel: last ? ["t", "s"] : null,
    yLabel: [graph.quantity.symbol, graph.quantity.unit],
  });
  if (run.event && first) sayEvent(context, box, scale, run.event, size);
  if (!stream.t.length) return;
  clipTo(context, box);
  const mark = { ...markOf(run.number), dash: [] };
  const count = run.at === null ? stream.t.length : countUntil(stream.t.all, run.at);
  if (run.at !== null) {
    context.globalAlpha = 0.22;
    context.save();
    drawReadings(context, scale, mark, stream.t.all, graph.y, run.number);
    context.restore();
    context.globalAlpha = 1;
  }
  drawReadings(context, scale, mark, stream.t.all.subarray(0, count), graph.y, run.number);
  if (run.at !== null) drawAt(context, box, scale.x(run.at));
  context.restore();
}

const extremes = new WeakMap(); // of the readings of a graph

function drawReadings(context, scale, mark, t, readings, number) {
  if (!t.length) return;
  if (!extremes.has(readings)) extremes.set(readings, new Extremes());
  const y = readings.all.subarray(0, t.length);
  const { left, right } = scale.box;
  const columns = columnsOf(t, y, extremes.get(readings), Math.round(right - left));
  if (columns) {
    drawBand(context, scale, mark, columns);
    marksAlong(context, scale, mark, columns.x, columns.lows, number);
    return;
  }
  drawLine(context, scale, mark, t, y);
  drawMarks(context, scale, mark, t, y, number);
}

function shadeBefore(context, box, scale) {
  context.fillStyle = COLOURS.ruler;
  context.fillRect(box.left, box.top, Math.max(0, scale.x(0) - box.left), box.bottom - box.top);
}

function sayEvent(context, box, scale, event, size) {
  const x = scale.x(0);
  context.strokeStyle = context.fillStyle = COLOURS.rust;
  context.setLineDash([3, 4]);
  context.beginPath();
  context.moveTo(x, box.top);
  context.lineTo(x, box.bottom);
  context.stroke();
  context.setLineDash([]);
  context.font = `${0.9375 * size}px "Source Sans 3", sans-serif`;
  context.textAlign = "left";
  context.textBaseline = "top";
  context.fillText(asRead(`event: ${event}`), x + 6, box.top + 2);
}

function drawAt(context, box, x) {
  context.strokeStyle = COLOURS.brass;
  context.lineWidth = 1.5;
  context.beginPath();
  context.moveTo(x, box.top);
  context.lineTo(x, box.bottom);
  context.stroke();
}
