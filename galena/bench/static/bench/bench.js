// The channel strips: live numbers, the level bar, and a trace of the last ten seconds.
// Owns the canvases of the strips; the numbers come ready to be read from the server.
import { listen, unpack } from "../shell/js/live.js";
import { COLOURS, fitted, labelled, line, rem } from "../shell/js/axes.js";

const SECONDS = 10;
const traces = new Map(); // channel → {t, y}
const levels = new Map();
const zeros = new Map();
let states = null;

const bench = () => document.getElementById("bench");
const strips = () => document.querySelectorAll(".strip");

listen(bench().dataset.events, {
  strips: ({ strips: shown, states: now }) => {
    for (const one of shown) {
      const strip = document.querySelector(`.strip[data-channel="${one.channel}"]`);
      if (!strip) continue;
      strip.querySelector('[data-shown="text"]').textContent = one.text;
      strip.querySelector('[data-shown="noise"]').textContent = one.noise;
      levels.set(String(one.channel), one.level);
    }
    const said = JSON.stringify(now);
    if (states !== null && said !== states) {
      htmx.ajax("GET", bench().dataset.strips, { target: "#instruments", swap: "outerHTML" });
      htmx.ajax("GET", bench().dataset.rig, { target: "#rig", swap: "innerHTML" });
    }
    states = said;
  },
  readings: (batch) => {
    const { t, columns } = unpack(batch);
    batch.channels.forEach((channel, place) => add(String(channel), t, columns[place]));
  },
});

function add(channel, t, y) {
  let trace = traces.get(channel);
  if (!trace || t[0] < trace.t.at(-1) || t[0] > trace.t.at(-1) + SECONDS) traces.set(channel, (trace = { t: [], y: [] }));
  trace.t.push(...t);
  trace.y.push(...y);
  const since = trace.t.at(-1) - SECONDS;
  const old = trace.t.findIndex((time) => time >= since);
  if (old > 0) { trace.t.splice(0, old); trace.y.splice(0, old); }
}

// A new zero moves what is drawn already along with what comes.
function follow(channel, zero) {
  const before = zeros.get(channel) ?? zero;
  zeros.set(channel, zero);
  const trace = traces.get(channel);
  if (trace && before !== zero) trace.y = trace.y.map((value) => value + Number(before) - Number(zero));
}

function paint() {
  for (const strip of strips()) {
    const { channel, minimum, maximum, zero } = strip.dataset;
    follow(channel, zero);
    paintBar(strip.querySelector(".bar"), levels.get(channel), minimum - zero, maximum - zero, zero !== "0.0");
    paintTrace(strip.querySelector(".trace"), traces.get(channel));
  }
  requestAnimationFrame(paint);
}

function paintBar(canvas, level, lo, hi, zeroed) {
  const { context, width, height } = fitted(canvas);
  const size = rem();
  const [left, top, bottom] = [3.4 * size, 0.8 * size, height - 0.8 * size];
  const place = (value) => bottom - ((value - lo) / (hi - lo)) * (bottom - top);
  context.font = `${0.8125 * size}px "Source Sans 3"`;
  context.textAlign = "right";
  context.textBaseline = "middle";
  for (const [value, text] of labelled(lo, hi, 6)) {
    context.fillStyle = COLOURS.soft;
    context.fillText(text, left - 10, place(value));
    context.strokeStyle = "#a9a598";
    line(context, left - 6, place(value), left, place(value));
  }
  context.fillStyle = "#f1ede3";
  context.fillRect(left + 4, top, 2.6 * size, bottom - top);
  if (level != null) {
    const y = bottom - level * (bottom - top);
    context.fillStyle = "#3c6e47";
    context.fillRect(left + 4, y, 2.6 * size, bottom - y);
    context.fillStyle = COLOURS.ink;
    context.fillRect(left, y - 1, 2.6 * size + 8, 2);
  }
  if (zeroed && lo < 0 && hi > 0) {
    context.fillStyle = "#9a6a12";
    context.fillRect(left + 4, place(0) - 0.5, 3.4 * size, 1.5);
    context.textAlign = "left";
    context.fillText("zero", left + 4 + 3.6 * size, place(0));
  }
}

function paintTrace(canvas, trace) {
  const { context, width, height } = fitted(canvas);
  const size = rem();
  const [left, right, top, bottom] = [3.4 * size, width - 4, 0.7 * size, height - 1.5 * size];
  context.font = `${0.75 * size}px "Source Sans 3"`;
  context.fillStyle = COLOURS.soft;
  context.textAlign = "right";
  context.textBaseline = "alphabetic";
  context.fillText("last 10 s", right, height - 3);
  context.strokeStyle = COLOURS.hairline;
  line(context, left, bottom + 0.5, right, bottom + 0.5);
  if (!trace || trace.t.length < 2) return;
  let [lo, hi] = [Infinity, -Infinity];
  for (const value of trace.y) { if (value < lo) lo = value; if (value > hi) hi = value; }
  if (!(hi > lo)) { hi = lo + 1; lo -= 1; }
  const room = (hi - lo) * 0.08;
  lo -= room; hi += room;
  const y = (value) => bottom - ((value - lo) / (hi - lo)) * (bottom - top);
  context.textBaseline = "middle";
  for (const [value, text] of labelled(lo, hi, 2)) {
    context.fillText(text, left - 10, y(value));
    line(context, left - 6, y(value), right, y(value));
  }
  const end = trace.t.at(-1);
  context.strokeStyle = "#33475b";
  context.lineWidth = 1.3;
  context.beginPath();
  for (let i = 0; i < trace.t.length; i++) {
    const x = right - ((end - trace.t[i]) / SECONDS) * (right - left);
    if (i) context.lineTo(x, y(trace.y[i])); else context.moveTo(x, y(trace.y[i]));
  }
  context.stroke();
  context.lineWidth = 1;
}

requestAnimationFrame(paint);
