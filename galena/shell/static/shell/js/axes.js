// Axes of a graph on a canvas: places, ticks at 1-2-5 steps, labels as symbol / unit.
import { ticks, tickIncrement } from "../../vendor/d3-array/d3-array.min.mjs";
import { COLOURS } from "./colours.js";

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

const RAISED = {
  "-": "\u207b",
  "0": "\u2070",
  "1": "\u00b9",
  "2": "\u00b2",
  "3": "\u00b3",
  "4": "\u2074",
  "5": "\u2075",
  "6": "\u2076",
  "7": "\u2077",
  "8": "\u2078",
  "9": "\u2079",
};
const raised = (power) => [...String(power)].map((one) => RAISED[one]).join("");
const minus = (text) => text.replace("-", "\u2212");

// Places of ticks and what is written at them, at steps of 1, 2 or 5; very large and very small
// numbers with a power of ten.
export function labelled(lo, hi, about) {
  const step = tickIncrement(lo, hi, about);
  if (!Number.isFinite(step) || step === 0) return [];
  const decimals = step > 0 ? 0 : Math.ceil(Math.log10(-step) - 1e-9);
  const largest = Math.max(Math.abs(lo), Math.abs(hi));
  if (largest >= 1e6 || (decimals > 5 && largest < 0.01))
    return withPower(ticks(lo, hi, about), largest, step);
  return ticks(lo, hi, about).map((place) => [
    place,
    minus(place.toFixed(decimals)).replace(/^\u2212(0(\.0*)?)$/, "$1"),
  ]);
}

function withPower(places, largest, step) {
  const power = Math.floor(Math.log10(largest));
  const apart = step > 0 ? step : -1 / step;
  const decimals = Math.max(0, Math.ceil(power - Math.log10(apart) - 1e-9)); // those that tell places apart
  return places.map((place) => [
    place,
    place === 0 ? "0" : `${minus((place / 10 ** power).toFixed(decimals))}\u00d710${raised(power)}`,
  ]);
}

// Decades, and 2 and 5 between them where there is room.
export function labelledDecades(lo, hi, about) {
  const roomy = (Math.log10(hi) - Math.log10(lo)) * 3 <= about + 2;
  const first = roomy ? Math.floor(Math.log10(lo)) : Math.ceil(Math.log10(lo) - 1e-9);
  const last = Math.floor(Math.log10(hi));
  const every = roomy ? 1 : Math.max(1, Math.ceil((last - first + 1) / Math.max(1, about)));
  const factors = roomy ? [1, 2, 5] : [1];
  const found = [];
  for (let power = first; power <= last; power += every) {
    for (const factor of factors) {
      const place = Number(`${factor}e${power}`);
      if (place < lo || place > hi) continue;
      const plain =
        power >= -3 && power <= 4
          ? place.toFixed(Math.max(0, -power))
          : `${factor === 1 ? "" : `${factor}\u00d7`}10${raised(power)}`;
      found.push([place, plain]);
    }
  }
  return found.length > 1 ? found : labelled(lo, hi, about).filter(([place]) => place > 0);
}

const STEPS = [
  60, 120, 300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200, 86400, 172800, 604800,
];

// Times of long runs in hours and minutes.
export function labelledHours(lo, hi, about) {
  const step =
    STEPS.find((one) => (hi - lo) / one <= about) ?? 604800 * Math.ceil((hi - lo) / about / 604800);
  const found = [];
  for (let place = Math.ceil(lo / step) * step; place <= hi; place += step) {
    const minutes = Math.round(Math.abs(place) / 60);
    found.push([
      place,
      `${place < 0 ? "\u2212" : ""}${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, "0")}`,
    ]);
  }
  return found;
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
    context.fillText(text, box.left - 9, y);
  }
  context.textAlign = "center";
  context.textBaseline = "top";
  for (const [place, text] of labelled(
    ...scale.xLimits,
    Math.max(2, (box.right - box.left) / (6 * size)),
  )) {
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
  const [base, below] = symbol.split(/_(.*)/s);
  const parts = [[base, `${base === "pH" ? "" : "italic "}${1.12 * size}px ${SYMBOL}`, 0]];
  if (below) parts.push([below, `${0.8 * size}px ${TEXT}`, 0.3 * size]);
  if (unit) parts.push([` / ${unit}`, `${size}px ${TEXT}`, 0]);
  context.save();
  context.translate(x, y);
  context.rotate(angle);
  context.textAlign = "left";
  context.textBaseline = "middle";
  const widths = parts.map(([text, font]) => {
    context.font = font;
    return context.measureText(text).width;
  });
  let place = -widths.reduce((sum, width) => sum + width, 0) / 2;
  parts.forEach(([text, font, lower], i) => {
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
