// The Desk: paints the graph and wires gestures, ruler, cursor, ledger and drawer together.
// Owns the view (the limits that are shown). Every number shown comes from the server.
import { post, say } from "../shell/js/frame.js";
import { COLOURS, drawAxes, fitted, rem, scales } from "../shell/js/axes.js";
import { clipTo, drawCurve, drawLine, drawMark, drawMarks, loadMarks } from "../shell/js/painter.js";
import { attach } from "./gestures.js";
import { Window } from "./readings.js";
import { Ruler } from "./ruler.js";

const desk = document.getElementById("desk");
const stack = document.getElementById("stack");
const canvas = document.getElementById("graph");
const markOf = loadMarks();
const ledger = () => document.getElementById("ledger");

let view = null; // {x: [lo, hi], y: [lo, hi]}; null shows all
let scale = null;
let cursor = null; // what the server read at the cursor
let begun = null; // where Enter started a span
let overlay = readOverlay();
let due = false;

const shown = new Window(desk.dataset.data, () => {
  say(shown.trouble);
  document.getElementById("hint").hidden = Boolean(shown.runs.length || shown.trouble);
  repaint();
});
const ruler = new Ruler(document.getElementById("ruler"), {
  moved: (kind, id, fields) => change(`${desk.dataset[kind]}/${id}`, fields),
  removed: (kind, id) => change(`${desk.dataset[kind]}/${id}`, { remove: 1 }),
  stepped: async (x, by) => (await read(x, by))?.x ?? null,
});

function readOverlay() {
  return JSON.parse(document.getElementById("overlay").textContent);
}

function limits() {
  const all = shown.limits ?? { x: [0, 10], y: [0, 1] };
  return { x: view?.x ?? all.x, y: view?.y ?? all.y };
}

function repaint() {
  if (due) return;
  due = true;
  requestAnimationFrame(() => { due = false; paint(); });
}

function paint() {
  const { context, width, height } = fitted(canvas);
  const size = rem();
  const top = 0.5 * size;
  const box = { left: 4.6 * size, right: width - 1.9 * size, top: top + 2.1 * size, bottom: height - 3.3 * size };
  const { x, y } = limits();
  scale = scales(box, x, y);
  context.fillStyle = COLOURS.ruler;
  context.fillRect(box.left, top, box.right - box.left, 1.65 * size);
  const { symbol, unit } = ledger().dataset;
  if (symbol) drawAxes(context, scale, { xLabel: ["t", "s"], yLabel: [symbol, unit] });
  clipTo(context, box);
  for (const run of shown.runs) drawLine(context, scale, markOf(run.number), run.x, run.y);
  for (const curve of overlay.curves) drawCurve(context, scale, curve, markOf(curve.number).colour);
  for (const run of shown.runs) drawMarks(context, scale, markOf(run.number), run.x, run.y, run.number);
  if (cursor) drawCursor(context, box);
  context.restore();
  ruler.place(scale, top);
  stack.dataset.shown = JSON.stringify({ x, y, box, runs: shown.runs.length }); // for tests and for the curious
}

function drawCursor(context, box) {
  context.strokeStyle = "#9a6a12";
  context.setLineDash([2, 3]);
  context.beginPath();
  context.moveTo(scale.x(cursor.x), box.top);
  context.lineTo(scale.x(cursor.x), box.bottom);
  context.stroke();
  context.setLineDash([]);
  for (const row of cursor.rows) {
    if (row.y === null) continue;
    const mark = markOf(row.number);
    drawMark(context, { ...mark, colour: "#ffffff" }, scale.x(row.x), scale.y(row.y), 1.9);
    drawMark(context, mark, scale.x(row.x), scale.y(row.y), 1.4);
  }
}

const columns = () => Math.max(50, stack.clientWidth - 100);
const fetchShown = () => shown.ask(view?.x ?? null, columns());

let waiting = null;
function look(next) {
  view = next;
  repaint();
  if (waiting) return;
  waiting = setTimeout(() => { waiting = null; fetchShown(); }, 30);
}

function zoom(part, factor, atX, atY) {
  const { x, y } = limits();
  const about = (ends, place) => ends.map((end) => place + (end - place) * factor);
  const next = { x, y };
  if (part !== "y") next.x = about(x, scale.fromX(Math.max(atX, scale.box.left)));
  if (part !== "x") next.y = about(y, scale.fromY(Math.min(atY, scale.box.bottom)));
  const enough = ([lo, hi]) => hi - lo > 1e-9 * Math.max(1, Math.abs(lo), Math.abs(hi)) && hi - lo < 1e12;
  if (enough(next.x) && enough(next.y)) look(next);
}

function slide(part, byX, byY) {
  const { x, y } = limits();
  const dx = part === "x" ? scale.fromX(0) - scale.fromX(byX) : 0;
  const dy = part === "y" ? scale.fromY(0) - scale.fromY(byY) : 0;
  look({ x: x.map((end) => end + dx), y: y.map((end) => end + dy) });
}

function showAll(fromZero) {
  if (!fromZero || !shown.limits) { look(null); return; }
  const { x, y } = shown.limits;
  look({ x: [Math.min(0, x[0]), Math.max(0, x[1])], y: [Math.min(0, y[0]), Math.max(0, y[1])] });
}

// The cursor: one request under way, the latest place next.
let reading = false;
let nextPlace = null;
function step(by) { // from where the cursor will be when its turn comes
  point(null, by + (nextPlace?.x === null ? nextPlace.by : 0));
}

async function point(x, by = 0) {
  nextPlace = { x, by };
  if (reading) return;
  reading = true;
  while (nextPlace) {
    const next = nextPlace;
    nextPlace = null;
    const found = await read(next.x ?? cursor?.x ?? limits().x[0], next.by);
    if (found) { cursor = found; tell(); repaint(); }
  }
  reading = false;
}

async function read(x, step) {
  const answer = await fetch(`${desk.dataset.at}?${new URLSearchParams({ x, step })}`).catch(() => null);
  if (!answer?.ok) return null;
  const found = await answer.json();
  return found.trouble ? null : found;
}

function tell() {
  const { symbol, unit } = ledger().dataset;
  const strip = document.getElementById("reading");
  strip.replaceChildren(part("t", cursor.text, "s"), ...cursor.rows.flatMap((row) => [" ", part(symbol, row.text, unit, row.number)]));
  const { x } = limits();
  if (cursor.x < x[0] || cursor.x > x[1]) look({ x: x.map((end) => end + cursor.x - (x[0] + x[1]) / 2), y: limits().y });
}

function part(symbol, value, unit, number) {
  const whole = document.createElement("span");
  whole.className = "me-4";
  const letter = document.createElement("i");
  letter.className = "symbol";
  letter.textContent = symbol;
  const bold = document.createElement("b");
  bold.textContent = `${value} ${unit}`;
  if (number) {
    bold.style.color = markOf(number).colour;
    const said = document.createElement("span");
    said.className = "visually-hidden";
    said.textContent = ` run ${number} `;
    whole.append(letter, said, " ", bold);
  } else whole.append(letter, " ", bold);
  return whole;
}

// A change is posted; the answer is the ledger anew, with what it draws on the graph.
async function change(url, fields) {
  const answer = await post(url, fields).catch(() => null);
  if (!answer?.ok) { say("The server did not take this change. Load the page again and repeat it."); return; }
  htmx.swap("#ledger", await answer.text(), { swapStyle: "outerHTML" });
}

document.addEventListener("htmx:afterSwap", (event) => { if (event.target.id === "ledger" || event.detail?.elt?.id === "ledger") renew(); });
new MutationObserver(() => renew()).observe(desk, { childList: true });
let quantity = ledger().dataset.symbol;
function renew() {
  if (!ledger()) return;
  overlay = readOverlay();
  ruler.show(overlay);
  if (ledger().dataset.symbol !== quantity) {
    quantity = ledger().dataset.symbol;
    cursor = view = null;
    document.getElementById("reading").replaceChildren();
    fetchShown();
  }
  repaint();
}
document.body.addEventListener("runs-changed", () => {
  fetchShown();
  htmx.ajax("GET", desk.dataset.ledger, { target: "#ledger", swap: "outerHTML" });
  if (cursor) point(cursor.x);
});

attach(stack, {
  scale: () => scale,
  zoom, slide,
  draft: (ends) => { ruler.draft = ends; repaint(); },
  span: (lo, hi) => change(desk.dataset.spans, { lo: Math.min(lo, hi), hi: Math.max(lo, hi) }),
  marker: (x) => dropMarker(x),
  hover: (x) => point(x),
  key: (name, shift, code) => {
    if (code === "Digit0" || code === "Numpad0") showAll(shift);
    else if (name === "ArrowLeft" || name === "ArrowRight") step((name === "ArrowLeft" ? -1 : 1) * (shift ? 10 : 1));
    else if (name === "m" && cursor) dropMarker(cursor.x);
    else if (name === "Enter" && cursor) markOff();
    else if (name === "Escape" && begun !== null) { begun = null; ruler.draft = null; repaint(); }
    else if (name === "+" || name === "-") zoom("both", name === "+" ? 0.8 : 1.25, (scale.box.left + scale.box.right) / 2, (scale.box.top + scale.box.bottom) / 2);
    else return false;
    return true;
  },
});

async function dropMarker(x) { // on the nearest reading
  const found = await read(x, 0);
  if (found) change(desk.dataset.markers, { x: found.x });
}

function markOff() {
  if (begun === null) { begun = cursor.x; say(`The span starts at ${cursor.text} s. Step to its end and press Enter, or Escape to leave it.`); return; }
  const ends = [begun, cursor.x].sort((a, b) => a - b);
  begun = null;
  say("");
  change(desk.dataset.spans, { lo: ends[0], hi: ends[1] });
}

document.getElementById("show-all").addEventListener("click", () => showAll(false));
document.getElementById("to-readings").addEventListener("click", (event) => {
  const drawer = document.getElementById("drawer");
  drawer.hidden = !drawer.hidden;
  event.currentTarget.setAttribute("aria-expanded", String(!drawer.hidden));
  const first = shown.runs[0]?.number ?? document.querySelector("#rail .chip b")?.textContent;
  if (!drawer.hidden && first) htmx.ajax("GET", desk.dataset.data.replace(/data$/, `readings/${first}`), { target: "#drawer", swap: "innerHTML" });
});
new ResizeObserver(() => { repaint(); fetchShown(); }).observe(stack);
ruler.show(overlay);
document.fonts.ready.then(repaint);
