// Paints readings on a canvas: many as a line with a mark now and then, few as marks alone.
// Gets arrays and limits, gives pixels; computes nothing that anyone reads off.

import { rem } from "./axes.js";

const FEW = 120;
const grown = () => rem() / 16; // on a projector everything grows
const MARK_EVERY = 90; // pixels between the marks on a line

export function loadMarks() {
  const marks = JSON.parse(document.getElementById("marks").textContent);
  for (const mark of marks) mark.shapePath = new Path2D(mark.path);
  return (number) => marks[(number - 1) % marks.length];
}

export function clipTo(context, { left, top, right, bottom }) {
  context.save();
  context.beginPath();
  context.rect(left - 6, top - 6, right - left + 12, bottom - top + 12);
  context.clip();
}

export function drawLine(context, scale, mark, xs, ys) {
  if (xs.length <= FEW) return;
  context.strokeStyle = mark.colour;
  context.lineWidth = 1.5 * grown();
  context.lineJoin = "round";
  context.setLineDash(mark.dash);
  context.stroke(joined(scale, xs, ys));
  context.setLineDash([]);
}

export function drawMarks(context, scale, mark, xs, ys, number) {
  if (xs.length > FEW) marksAlong(context, scale, mark, xs, ys, number);
  else for (let i = 0; i < xs.length; i++) drawMark(context, mark, scale.x(xs[i]), scale.y(ys[i]));
}

function joined(scale, xs, ys) {
  const path = new Path2D();
  let pen = false;
  for (let i = 0; i < xs.length; i++) {
    if (Number.isNaN(ys[i])) { pen = false; continue; }
    if (pen) path.lineTo(scale.x(xs[i]), scale.y(ys[i]));
    else path.moveTo(scale.x(xs[i]), scale.y(ys[i]));
    pen = true;
  }
  return path;
}

// Marks keep their places in the data, shifted from run to run so that they seldom meet.
function marksAlong(context, scale, mark, xs, ys, number) {
  const every = (MARK_EVERY * grown()) / (scale.x(1) - scale.x(0));
  const shift = ((number * 0.29) % 1) * every;
  let next = Math.ceil((xs[0] - shift) / every) * every + shift;
  for (let i = 0; i < xs.length; i++) {
    if (xs[i] < next || Number.isNaN(ys[i])) continue;
    drawMark(context, mark, scale.x(xs[i]), scale.y(ys[i]));
    next = Math.floor((xs[i] - shift) / every) * every + shift + every;
  }
}

export function drawMark(context, mark, x, y, size = 1) {
  context.save();
  context.translate(x, y);
  context.scale(size * grown(), size * grown());
  context.fillStyle = mark.colour;
  context.fill(mark.shapePath);
  context.restore();
}

// A fitted line through four places: solid in its span, dashed beyond it; a white edge lifts it
// off the readings of the same colour.
export function drawCurve(context, scale, curve, colour) {
  const places = curve.x.map((x, i) => [scale.x(x), scale.y(curve.y[i])]);
  const strokes = [[1, [], 5.5, "#ffffff"], [0, [6, 6], 1.6, colour], [2, [6, 6], 1.6, colour], [1, [], 2.6, colour]];
  for (const [from, dash, width, stroke] of strokes) {
    context.setLineDash(dash);
    context.lineWidth = width * grown();
    context.strokeStyle = stroke;
    context.beginPath();
    context.moveTo(...places[from]);
    context.lineTo(...places[from + 1]);
    context.stroke();
  }
  context.setLineDash([]);
}
