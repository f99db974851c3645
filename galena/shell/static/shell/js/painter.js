// Paints readings on a canvas: many as a line with a mark now and then, few as marks alone.
// Gets arrays and limits, gives pixels; computes nothing that anyone reads off.

import { rem } from "./axes.js";
import { COLOURS } from "./colours.js";

const FEW = 120;
const grown = () => rem() / 16; // on a projector everything grows
const MARK_EVERY = 90; // pixels between the marks on a line
const SIDES = [[0, 0], [-1, 0], [1, 0], [0, -1], [0, 1]]; // prettier-ignore

export function loadMarks() {
  const { marks, chosen } = JSON.parse(document.getElementById("marks").textContent);
  const dark = document.documentElement.dataset.room === "dark";
  for (const mark of marks) {
    mark.shapePath = new Path2D(mark.path);
    if (dark) mark.colour = mark.bright;
  }
  const markOf = (number) => marks[((chosen[number] ?? number) - 1) % marks.length];
  markOf.choose = (number, marked) => {
    chosen[number] = marked;
  };
  return markOf;
}

export function clipTo(context, { left, top, right, bottom }, beyond = 6) {
  context.save();
  context.beginPath();
  context.rect(left - beyond, top - beyond, right - left + 2 * beyond, bottom - top + 2 * beyond);
  context.clip();
}

export function drawLine(context, scale, mark, xs, ys) {
  if (xs.length <= FEW) return;
  strokeJoined(context, mark, joined(scale, xs, ys), xs.length);
}

// Stroke what joins so many readings. Where no graphics card draws, a line of one pixel costs a tenth
// of a wider one: one of many corners is drawn as four such lines, a little to each side.
export function strokeJoined(context, mark, path, count) {
  const [width, pixel] = [1.5 * grown(), 1 / devicePixelRatio];
  const isFine = count > FEW && width > pixel;
  const off = (width - pixel) / 2 + 0.15 * pixel;
  context.strokeStyle = mark.colour;
  context.lineWidth = isFine ? pixel : width;
  context.lineJoin = "round";
  context.setLineDash(mark.dash);
  const sides = isFine ? SIDES.slice(width > 2 * pixel ? 0 : 1) : SIDES.slice(0, 1);
  for (const [x, y] of sides) {
    context.translate(x * off, y * off);
    context.stroke(path);
    context.translate(-x * off, -y * off);
  }
  context.setLineDash([]);
}

// From the lowest to the highest in each column, as one band: where no graphics card draws, to fill it
// costs a small part of what a line with round corners costs.
export function drawBand(context, scale, mark, { x, lows, highs }) {
  const half = ((mark.filling ? 0.6 : 1.2) * grown()) / 2; // a further quantity is finer
  const path = new Path2D();
  let first = 0;
  for (let i = 0; i <= x.length; i++) {
    if (i < x.length && !Number.isNaN(lows[i])) continue;
    if (i > first) band(path, scale, { x, lows, highs }, first, i, half);
    first = i + 1;
  }
  context.fillStyle = mark.colour;
  context.fill(path);
}

function band(path, scale, { x, lows, highs }, first, end, half) {
  const low = (i) => scale.y(lows[i]) + half;
  const high = (i) => scale.y(highs[i]) - half;
  if (end - first === 1) {
    path.rect(scale.x(x[first]) - half, high(first), 2 * half, low(first) - high(first));
    return;
  }
  path.moveTo(scale.x(x[first]), low(first));
  for (let i = first + 1; i < end; i++) path.lineTo(scale.x(x[i]), low(i));
  for (let i = end - 1; i >= first; i--) path.lineTo(scale.x(x[i]), high(i));
  path.closePath();
}

export function drawMarks(context, scale, mark, xs, ys, number) {
  if (xs.length > FEW) marksAlong(context, scale, mark, xs, ys, number);
  else for (let i = 0; i < xs.length; i++) drawMark(context, mark, scale.x(xs[i]), scale.y(ys[i]));
}

function joined(scale, xs, ys) {
  const path = new Path2D();
  let pen = false;
  for (let i = 0; i < xs.length; i++) {
    if (Number.isNaN(ys[i])) {
      pen = false;
      continue;
    }
    if (pen) path.lineTo(scale.x(xs[i]), scale.y(ys[i]));
    else path.moveTo(scale.x(xs[i]), scale.y(ys[i]));
    pen = true;
  }
  return path;
}

// Marks keep their places in the data, shifted from run to run so that they seldom meet.
export function marksAlong(context, scale, mark, xs, ys, number) {
  const every = MARK_EVERY * grown();
  const place = along(scale);
  const shift = ((number * 0.29) % 1) * every;
  let next = -Infinity;
  for (let i = 0; i < xs.length; i++) {
    const at = place(xs[i]);
    if (next === -Infinity) next = Math.ceil((at - shift) / every) * every + shift;
    if (at < next || Number.isNaN(ys[i])) continue;
    drawMark(context, mark, scale.x(xs[i]), scale.y(ys[i]), mark.size ?? 1);
    next = Math.floor((at - shift) / every) * every + shift + every;
  }
}

// The x axis as a line that does not move when it is slid: a value's place on it, in pixels.
function along(scale) {
  const [lo, hi] = scale.xLimits;
  const of = scale.xLog ? Math.log10 : (x) => x;
  const per = (scale.box.right - scale.box.left) / (of(hi) - of(lo));
  return (x) => of(x) * per;
}

// A second quantity has hollow marks, a third one barred ones; then it begins again.
function fillIn(context, { filling, shapePath }) {
  if (!filling || filling % 3 === 0) return;
  context.fillStyle = COLOURS.surface;
  if (filling % 3 === 1) {
    context.scale(0.58, 0.58);
    context.fill(shapePath);
  } else context.fillRect(-1.2, -7, 2.4, 14);
}

export function drawMark(context, mark, x, y, size = 1) {
  context.save();
  context.translate(x, y);
  context.scale(size * grown(), size * grown());
  context.fillStyle = mark.colour;
  context.fill(mark.shapePath);
  fillIn(context, mark);
  context.restore();
}

// A fitted curve: solid in its span, dashed before and after it; an edge as light as the paper
// lifts it off the readings of the same colour.
export function drawCurve(context, scale, curve, colour) {
  const parts = curve.parts.map(([xs, ys]) => xs.map((x, i) => [scale.x(x), scale.y(ys[i])]));
  const strokes = [
    [1, [], 5.5, COLOURS.surface],
    [0, [6, 6], 1.6, colour],
    [2, [6, 6], 1.6, colour],
    [1, [], 2.6, colour],
  ];
  for (const [which, dash, width, stroke] of strokes) {
    if (!parts[which].length) continue;
    context.setLineDash(dash);
    context.lineWidth = width * grown();
    context.strokeStyle = stroke;
    context.beginPath();
    context.moveTo(...parts[which][0]);
    for (const place of parts[which].slice(1)) context.lineTo(...place);
    context.stroke();
  }
  context.setLineDash([]);
}
