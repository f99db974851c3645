// Formulas shown beside the traces of a run: asked for while it grows, once when it is shown again.
// Owns the boxes in #also and the traces they add; the server works the formulas out.

const EVERY = 400; // ms between two askings while a run grows
const box = document.getElementById("also");
const traces = document.getElementById("traces");
const numbers = document.getElementById("numbers");
let asking = false;
let lasted = 0; // how long the last answer took: a long run is asked for less often
let asked = { run: null, at: 0, count: -1, keys: "" };

const chosen = () =>
  box ? [...box.querySelectorAll("input:checked")].map(({ value }) => value) : [];

// Keep the traces of what is chosen up to date; called for every picture.
export function keep(run, now) {
  const keys = chosen().join();
  const count = run.streams.reduce((sum, { t }) => sum + t.length, 0);
  if (run !== asked.run || keys !== asked.keys) lay(run, keys);
  if (
    !keys ||
    asking ||
    (count === asked.count && run === asked.run) ||
    now - asked.at < Math.max(EVERY, 8 * lasted)
  )
    return;
  ask(run, keys, count, now);
}

function lay(run, keys) {
  const wanted = keys ? keys.split(",") : [];
  run.also = (run.also ?? []).filter(
    ({ key, graph }) => wanted.includes(key) || graph.canvas.remove(),
  );
  for (const said of numbers.querySelectorAll("[data-formula]"))
    if (!wanted.includes(said.dataset.formula)) said.remove();
  asked = { run, at: 0, count: -1, keys };
}

async function ask(run, keys, count, now) {
  asking = true;
  asked = { run, at: now, count, keys };
  try {
    const query = keys
      .split(",")
      .map((key) => `quantity=${key}`)
      .join("&");
    const answer = await fetch(
      `${box.dataset.derived.replace("/0/", `/${run.number}/`)}?${query}`,
    ).catch(() => null);
    if (!answer?.ok || asked.run !== run || asked.keys !== keys) return;
    lasted = performance.now() - now;
    for (const told of (await answer.json()).quantities) show(run, told);
    run.alsoTurn = (run.alsoTurn ?? 0) + 1;
  } finally {
    asking = false;
  }
}

function show(run, told) {
  const key = String(told.key);
  let one = run.also.find((known) => known.key === key);
  if (!one) {
    const canvas = Object.assign(document.createElement("canvas"), {
      role: "img",
      ariaLabel: `${told.symbol} over time`,
    });
    traces.append(canvas);
    one = { key, t: null, graph: { quantity: told, canvas, lo: Infinity, hi: -Infinity } };
    run.also.push(one);
  }
  const y = Float64Array.from(told.y, (value) => value ?? NaN);
  one.t = { all: Float64Array.from(told.t), length: told.t.length };
  [one.graph.lo, one.graph.hi] = [Infinity, -Infinity];
  for (const value of y) {
    if (value < one.graph.lo) one.graph.lo = value;
    if (value > one.graph.hi) one.graph.hi = value;
  }
  one.graph.y = { all: y };
  readout(key, told);
}

function readout(key, told) {
  let said = numbers.querySelector(`[data-formula="${key}"]`);
  if (!said) {
    said = document.createElement("div");
    said.className = "big";
    said.dataset.formula = key;
    const part = (className) => Object.assign(document.createElement("span"), { className });
    said.append(part("text"), part("unit"), part("of"));
    numbers.querySelector(".clock").before(said);
  }
  said.querySelector(".text").textContent = told.text;
  said.querySelector(".unit").textContent = told.unit;
  said
    .querySelector(".of")
    .replaceChildren(
      ...(told.trouble ? [told.trouble] : [...typeset(told.symbol), " by its formula"]),
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
