// Formulas shown beside the traces of a run: asked for while it grows, once when it is shown again.
// Owns the boxes in #also and the traces they add; the server works the formulas out.
import { contentAt } from "../shell/js/answers.js";
import { writeNumber } from "./readout.js";

const EVERY = 400; // ms between two askings while a run grows
const box = document.getElementById("also");
const traces = document.getElementById("traces");
const numbers = document.getElementById("numbers");
let asking = false;
let lasted = 0; // how long the last answer took: a long run is asked for less often
let request = { run: null, at: 0, count: -1, keys: "" };

const chosen = () =>
  box ? [...box.querySelectorAll("input:checked")].map(({ value }) => value) : [];

// Keep the traces of what is chosen up to date; called for every picture.
export function keep(run, now) {
  const keys = chosen().join();
  const count = run.streams.reduce((sum, { t }) => sum + t.length, 0);
  if (run !== request.run || keys !== request.keys) lay(run, keys);
  if (
    !keys ||
    asking ||
    (count === request.count && run === request.run) ||
    now - request.at < Math.max(EVERY, 8 * lasted)
  )
    return;
  ask(run, keys, count, now);
}

function lay(run, keys) {
  const wanted = keys ? keys.split(",") : [];
  run.derived = (run.derived ?? []).filter(
    ({ key, graph }) => wanted.includes(key) || graph.canvas.remove(),
  );
  for (const readoutBox of numbers.querySelectorAll("[data-formula]"))
    if (!wanted.includes(readoutBox.dataset.formula)) readoutBox.remove();
  request = { run, at: 0, count: -1, keys };
}

async function ask(run, keys, count, now) {
  asking = true;
  request = { run, at: now, count, keys };
  try {
    const query = keys
      .split(",")
      .map((key) => `quantity=${key}`)
      .join("&");
    const worked = await contentAt(
      `${box.dataset.derived.replace("/0/", `/${run.number}/`)}?${query}`,
    );
    if (!worked || request.run !== run || request.keys !== keys) return;
    lasted = performance.now() - now;
    for (const derived of worked.quantities) show(run, derived);
    run.derivedTurn = (run.derivedTurn ?? 0) + 1;
  } finally {
    asking = false;
  }
}

function show(run, derived) {
  const key = String(derived.key);
  let trace = run.derived.find((drawn) => drawn.key === key);
  if (!trace) {
    const canvas = Object.assign(document.createElement("canvas"), {
      role: "img",
      ariaLabel: `${derived.symbol} over time`,
    });
    traces.append(canvas);
    trace = { key, t: null, graph: { quantity: derived, canvas, lo: Infinity, hi: -Infinity } };
    run.derived.push(trace);
  }
  const y = Float64Array.from(derived.y, (value) => value ?? NaN);
  trace.t = { all: Float64Array.from(derived.t), length: derived.t.length };
  [trace.graph.lo, trace.graph.hi] = [Infinity, -Infinity];
  for (const value of y) {
    if (value < trace.graph.lo) trace.graph.lo = value;
    if (value > trace.graph.hi) trace.graph.hi = value;
  }
  trace.graph.y = { all: y };
  readout(key, derived);
}

function readout(key, derived) {
  let readoutBox = numbers.querySelector(`[data-formula="${key}"]`);
  if (!readoutBox) {
    readoutBox = document.createElement("div");
    readoutBox.className = "big";
    readoutBox.dataset.formula = key;
    const part = (className) => Object.assign(document.createElement("span"), { className });
    readoutBox.append(part("text"), part("unit"), part("of"));
    numbers.querySelector(".clock").before(readoutBox);
  }
  writeNumber(readoutBox.querySelector(".text"), derived.text);
  readoutBox.querySelector(".unit").textContent = derived.unit;
  readoutBox
    .querySelector(".of")
    .replaceChildren(
      ...(derived.trouble ? [derived.trouble] : [...typeset(derived.symbol), " by its formula"]),
    );
}

function typeset(symbol) {
  const [base, ...below] = symbol.split("_");
  const letters = Object.assign(document.createElement("i"), {
    className: "symbol",
    textContent: base,
  });
  return below.length
    ? [letters, Object.assign(document.createElement("sub"), { textContent: below.join("_") })]
    : [letters];
}
