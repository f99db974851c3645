// Axes of a graph on a canvas: places, ticks at 1-2-5 steps, labels as symbol / unit.
import { ticks, tickIncrement } from "../../vendor/d3-array/d3-array.min.mjs";

export const COLOURS = { ink: "#1f2830", soft: "#55606b", hairline: "#e9e5da", axis: "#55606b", ruler: "#f1ede3" };
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
  const context = canvas.getContext("2d");
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, width, height);
  return { context, width, height };
}

export const rem = () => parseFloat(getComputedStyle(document.documentElement).fontSize);

// Map data to pixels and back: box is {left, top, right, bottom}, limits are [lowest, highest].
export function scales(box, x, y) {
  const perX = (box.right - box.left) / (x[1] - x[0]);
  const perY = (box.bottom - box.top) / (y[1] - y[0]);
  return {
    box, xLimits: x, yLimits: y,
    x: (value) => box.left + (value - x[0]) * perX,
    y: (value) => box.bottom - (value - y[0]) * perY,
    fromX: (pixel) => x[0] + (pixel - box.left) / perX,
    fromY: (pixel) => y[0] + (box.bottom - pixel) / perY,
  };
}

export function labelled(lo, hi, about) {
  const step = tickIncrement(lo, hi, about);
  const decimals = step > 0 ? 0 : Math.ceil(Math.log10(-step) - 1e-9);
  return ticks(lo, hi, about).map((place) => [place, place.toFixed(decimals).replace("-", "−").replace(/^−(0(\.0*)?)$/, "$1")]);
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
  for (const [place, text] of labelled(...scale.yLimits, Math.max(2, (box.bottom - box.top) / (4 * size)))) {
    const y = Math.round(scale.y(place)) + 0.5;
    context.strokeStyle = COLOURS.hairline;
    line(context, box.left, y, box.right, y);
    context.strokeStyle = COLOURS.axis;
    line(context, box.left - 5, y, box.left, y);
    context.fillText(text, box.left - 9, y);
  }
  context.textAlign = "center";
  context.textBaseline = "top";
  for (const [place, text] of labelled(...scale.xLimits, Math.max(2, (box.right - box.left) / (6 * size)))) {
    const x = Math.round(scale.x(place)) + 0.5;
    line(context, x, box.bottom, x, box.bottom + 5);
    context.fillText(text, x, box.bottom + 8);
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
  const parts = [[symbol, `italic ${1.12 * size}px ${SYMBOL}`]];
  if (unit) parts.push([` / ${unit}`, `${size}px ${TEXT}`]);
  context.save();
  context.translate(x, y);
  context.rotate(angle);
  context.textAlign = "left";
  context.textBaseline = "middle";
  const widths = parts.map(([text, font]) => { context.font = font; return context.measureText(text).width; });
  let place = -widths.reduce((sum, width) => sum + width, 0) / 2;
  parts.forEach(([text, font], i) => { context.font = font; context.fillText(text, place, 0); place += widths[i]; });
  context.restore();
}

export function line(context, x1, y1, x2, y2) {
  context.beginPath();
  context.moveTo(x1, y1);
  context.lineTo(x2, y2);
  context.stroke();
}
