// Paints the readings of one graph: points with their marks and error bars, or, of very many, the
// lowest and the highest in each column of pixels; fitted curves; and the cursor.
import { rem } from "../shell/js/axes.js";
import { COLOURS } from "../shell/js/colours.js";
import { filled, placeIn } from "./fillings.js";
import {
  clipTo,
  drawBand,
  drawCurve,
  drawMark,
  marksAlong,
  strokeJoined,
} from "../shell/js/painter.js";

const FEW = 120; // readings up to which each has its mark in full size
const BARS = 800; // readings up to which each has its error bars
const ROOM_FOR_BAR = 7; // pixels
const grown = () => rem() / 16;

export function paintGraph(context, { box, ...scales }, traces, curves, areas, markOf, layout) {
  const scaleOf = ({ side }) => scales[side] ?? scales.left;
  const marked = traces.map((trace) => ({
    trace,
    scale: scaleOf(trace),
    mark: look(markOf(trace.number), trace, layout),
  }));
  clipTo(context, box, 0);
  for (const { area, side } of areas)
    shade(
      context,
      scaleOf({ side }),
      area,
      traces,
      layout.plain ? COLOURS.ink : markOf(area.number).colour,
    );
  for (const { trace, scale, mark } of marked) {
    if (trace.kind === "columns" && isJoined(trace, layout)) drawBand(context, scale, mark, trace);
    else if (isJoined(trace, layout)) drawJoined(context, scale, mark, trace);
  }
  for (const { curve, side } of curves)
    drawCurve(
      context,
      scaleOf({ side }),
      curve,
      layout.plain ? COLOURS.ink : markOf(curve.number).colour,
    );
  context.restore();
  clipTo(context, box, 6);
  for (const { trace, scale, mark } of marked) {
    if (trace.kind === "columns") {
      if (isJoined(trace, layout))
        marksAlong(context, scale, sized(mark, layout.size), trace.x, trace.lows, trace.number);
      else drawStrokes(context, scale, mark, trace, layout);
      if (trace.apart) drawPoints(context, scale, mark, { ...trace, ...trace.apart }, layout);
    } else drawPoints(context, scale, mark, trace, layout);
  }
  context.restore();
}

// The area between the readings and its baseline.
function shade(context, scale, { number, quantity, lo, hi, base }, traces, colour) {
  const trace = traces.find((one) => one.number === number && one.quantity === quantity);
  if (!trace) return;
  const ys = trace.y ?? trace.highs;
  const path = new Path2D();
  const at = (x) => {
    // between two readings on a straight line
    let j = trace.x.findIndex((one) => one >= x);
    if (j < 0) j = trace.x.length - 1;
    const i = Math.max(0, j - 1);
    const f = trace.x[j] > trace.x[i] ? (x - trace.x[i]) / (trace.x[j] - trace.x[i]) : 0;
    return ys[i] + f * (ys[j] - ys[i]);
  };
  path.moveTo(scale.x(lo), scale.y(base[0]));
  path.lineTo(scale.x(lo), scale.y(at(lo)));
  for (let i = 0; i < trace.x.length; i++) {
    if (trace.x[i] > lo && trace.x[i] < hi && !Number.isNaN(ys[i]) && !trace.aside?.has(i))
      path.lineTo(scale.x(trace.x[i]), scale.y(ys[i]));
  }
  path.lineTo(scale.x(hi), scale.y(at(hi)));
  path.lineTo(scale.x(hi), scale.y(base[1]));
  path.closePath();
  context.globalAlpha = 0.22;
  context.fillStyle = colour;
  context.fill(path);
  context.globalAlpha = 1;
}

function look(mark, { graph, quantity }, layout) {
  const own = filled(mark, placeIn(layout, graph, quantity));
  return layout.plain ? { ...own, colour: COLOURS.ink } : own;
}
const sized = (mark, size) => ({ ...mark, size: (mark.size ?? 1) * size });

export function isJoined(trace, layout) {
  if (layout.lines !== "auto") return layout.lines === "on";
  return layout.time && trace.n > FEW;
}

function stroke(context, mark, width) {
  context.strokeStyle = mark.colour;
  context.lineWidth = width * grown();
  context.lineJoin = "round";
}

function drawJoined(context, scale, mark, { x, y, aside }) {
  const path = new Path2D();
  let pen = false;
  for (let i = 0; i < x.length; i++) {
    if (aside.has(i)) continue;
    if (Number.isNaN(y[i])) {
      pen = false;
      continue;
    }
    if (pen) path.lineTo(scale.x(x[i]), scale.y(y[i]));
    else path.moveTo(scale.x(x[i]), scale.y(y[i]));
    pen = true;
  }
  strokeJoined(context, mark, path, x.length);
}

// Very many readings that no line joins: from the lowest to the highest in each column.
function drawStrokes(context, scale, mark, { x, lows, highs }, layout) {
  stroke(context, mark, 2.2 * layout.size);
  context.lineCap = "round";
  context.beginPath();
  for (let i = 0; i < x.length; i++) {
    if (Number.isNaN(lows[i])) continue;
    context.moveTo(scale.x(x[i]), scale.y(lows[i]));
    context.lineTo(scale.x(x[i]), scale.y(highs[i]) - 0.01);
  }
  context.stroke();
  context.lineCap = "butt";
}

function drawPoints(context, scale, mark, trace, layout) {
  const { x, y, aside } = trace;
  const joined = isJoined(trace, layout);
  const many = x.length > FEW;
  // Bars that stand close together would hide by which dashes and marks quantities differ.
  const { left, right } = scale.box;
  const roomy = mark.filling === undefined || right - left > ROOM_FOR_BAR * x.length;
  if (layout.errors && x.length <= BARS && roomy) drawErrors(context, scale, mark, trace);
  const size = layout.size * (many ? (x.length > 4 * FEW ? 0.35 : 0.55) : 1);
  if (joined && many) {
    marksAlong(context, scale, sized(mark, layout.size), x, y, trace.number);
    for (const i of aside) drawHollow(context, scale, mark, x[i], y[i], 0.8);
    return;
  }
  for (let i = 0; i < x.length; i++) {
    if (Number.isNaN(y[i])) continue;
    if (aside.has(i)) drawHollow(context, scale, mark, x[i], y[i], Math.max(size, 0.7));
    else drawMark(context, mark, scale.x(x[i]), scale.y(y[i]), size);
  }
}

function drawHollow(context, scale, mark, x, y, size) {
  drawMark(context, mark, scale.x(x), scale.y(y), size * 1.1);
  drawMark(context, { ...mark, colour: COLOURS.surface }, scale.x(x), scale.y(y), size * 0.75);
}

function drawErrors(context, scale, mark, { x, y, uX, uY, aside }) {
  if (!uX && !uY) return;
  stroke(context, mark, 1.1);
  const cap = 3 * grown();
  context.beginPath();
  for (let i = 0; i < x.length; i++) {
    if (aside.has(i) || Number.isNaN(y[i])) continue;
    const [px, py] = [scale.x(x[i]), scale.y(y[i])];
    if (uY?.[i] > 0) {
      const [high, low] = [scale.y(y[i] + uY[i]), scale.y(y[i] - uY[i])];
      context.moveTo(px, low);
      context.lineTo(px, high);
      for (const end of [low, high]) {
        context.moveTo(px - cap, end);
        context.lineTo(px + cap, end);
      }
    }
    if (uX?.[i] > 0) {
      const [first, last] = [scale.x(x[i] - uX[i]), scale.x(x[i] + uX[i])];
      context.moveTo(first, py);
      context.lineTo(last, py);
      for (const end of [first, last]) {
        context.moveTo(end, py - cap);
        context.lineTo(end, py + cap);
      }
    }
  }
  context.stroke();
}

// The cursor runs through all graphs; each reading under it is ringed.
export function paintCursor(context, stack, cursor, markOf, layout) {
  const { left } = stack.scales.values().next().value;
  const x = left.x(cursor.x);
  if (x < stack.frame.left - 1 || x > stack.frame.right + 1) return;
  context.strokeStyle = COLOURS.brass;
  context.lineWidth = 1;
  context.setLineDash(cursor.free ? [6, 3] : [2, 3]);
  context.beginPath();
  context.moveTo(x, stack.frame.top);
  context.lineTo(x, stack.frame.bottom);
  context.stroke();
  context.setLineDash([]);
  for (const row of cursor.rows) {
    const scale = stack.scales.get(row.graph)?.[row.side];
    if (row.y === null || !scale) continue;
    const y = scale.y(row.y);
    if (y < scale.box.top - 6 || y > scale.box.bottom + 6) continue;
    const mark = look(markOf(row.number), row, layout);
    const ground = { ...mark, colour: COLOURS.surface, filling: 0 };
    drawMark(context, ground, scale.x(row.x), y, 1.9);
    drawMark(context, mark, scale.x(row.x), y, 1.4);
    if (row.aside) drawMark(context, ground, scale.x(row.x), y, 1);
  }
}
