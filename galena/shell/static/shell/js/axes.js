// Axes of a graph on a canvas: places, ticks, labels as symbol / unit.
import { COLOURS } from "./colours.js";
import { asRead } from "./decimal_sign.js";
import { parts } from "./symbols.js";
import { labelled } from "./ticks.js";

const TEXT = '"Source Sans 3", sans-serif';
const SYMBOL = '"STIX Two Text", serif';

// Make a canvas as sharp as the screen and give its context and size in CSS pixels.
export function fitted(canvas) {
  const ratio = devicePixelRatio || 1;
  const { clientWidth: width, clientHeight: height } = canvas;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const context = canvas.getContext("2d", { willReadFrequently: true });
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, width, height);
  return { context, width, height };
}

export const rem = () => parseFloat(getComputedStyle(document.documentElement).fontSize);

// Map data to pixels and back: box is {left, top, right, bottom}, limits are [lowest, highest].
export function scales(box, x, y, { xLog = false, yLog = false } = {}) {
  const [across, up] = [lineOf(x, xLog, box.left, box.right), lineOf(y, yLog, box.bottom, box.top)];
  return {
    box,
    xLimits: x,
    yLimits: y,
    xLog,
    yLog,
    x: across.to,
    y: up.to,
    fromX: across.from,
    fromY: up.from,
  };
}

// Where a value lies between two pixels; on a logarithmic axis what has no logarithm lies far below.
function lineOf([lo, hi], log, first, last) {
  if (!log) {
    const per = (last - first) / (hi - lo);
    if (Number.isFinite(per) && per !== 0)
      return {
        to: (value) => first + (value - lo) * per,
        from: (pixel) => lo + (pixel - first) / per,
      };
    const half = hi / 2 - lo / 2; // limits so far apart that their difference is no number
    return {
      to: (value) => first + ((value / 2 - lo / 2) / half) * (last - first),
      from: (pixel) => 2 * (lo / 2 + ((pixel - first) / (last - first)) * half),
    };
  }
  const [from, to] = [Math.log10(lo), Math.log10(hi)];
  const per = (last - first) / (to - from);
  return {
    to: (value) =>
      value > 0 ? first + (Math.log10(value) - from) * per : first - 1e6 * Math.sign(last - first),
    from: (pixel) => 10 ** (from + (pixel - first) / per),
  };
}

export function drawAxes(context, scale, { xLabel, yLabel }) {
  const { box } = scale;
  const size = rem();
  context.font = `${0.875 * size}px ${TEXT}`;
  context.lineWidth = 1;
  context.setLineDash([]);
  context.fillStyle = COLOURS.ink;
  context.textAlign = "right";
  context.textBaseline = "middle";
  for (const [place, text] of labelled(
    ...scale.yLimits,
    Math.max(2, (box.bottom - box.top) / (4 * size)),
  )) {
    const y = Math.round(scale.y(place)) + 0.5;
    context.strokeStyle = COLOURS.hairline;
    line(context, box.left, y, box.right, y);
    context.strokeStyle = COLOURS.axis;
    line(context, box.left - 5, y, box.left, y);
    context.fillText(asRead(text), box.left - 9, y);
  }
  context.textAlign = "center";
  context.textBaseline = "top";
  for (const [place, text] of labelled(
    ...scale.xLimits,
    Math.max(2, (box.right - box.left) / (6 * size)),
  )) {
    const x = Math.round(scale.x(place)) + 0.5;
    line(context, x, box.bottom, x, box.bottom + 5);
    context.fillText(asRead(text), x, box.bottom + 8);
  }
  context.strokeStyle = COLOURS.axis;
  line(context, box.left + 0.5, box.top, box.left + 0.5, box.bottom);
  line(context, box.left, box.bottom + 0.5, box.right, box.bottom + 0.5);
  if (xLabel) drawLabel(context, xLabel, (box.left + box.right) / 2, box.bottom + 2.2 * size, 0);
  if (yLabel) drawLabel(context, yLabel, 1.05 * size, (box.top + box.bottom) / 2, -Math.PI / 2);
}

// A label [symbol, unit] as ISO 80000 has it: the symbol italic, the unit upright.
function drawLabel(context, [symbol, unit], x, y, angle) {
  const size = rem();
  const looks = {
    "symbol": [`italic ${1.12 * size}px ${SYMBOL}`, 0],
    "sub": [`${0.8 * size}px ${TEXT}`, 0.3 * size],
    "": [`${size}px ${TEXT}`, 0],
  };
  const pieces = [...parts(symbol), ["", unit ? ` / ${unit}` : ""]];
  const set = pieces.map(([kind, text]) => [text, ...looks[kind]]);
  context.save();
  context.translate(x, y);
  context.rotate(angle);
  context.textAlign = "left";
  context.textBaseline = "middle";
  const widths = set.map(([text, font]) => {
    context.font = font;
    return context.measureText(text).width;
  });
  let place = -widths.reduce((sum, width) => sum + width, 0) / 2;
  set.forEach(([text, font, lower], i) => {
    context.font = font;
    context.fillText(text, place, lower);
    place += widths[i];
  });
  context.restore();
}

export function line(context, x1, y1, x2, y2) {
  context.beginPath();
  context.moveTo(x1, y1);
  context.lineTo(x2, y2);
  context.stroke();
}
