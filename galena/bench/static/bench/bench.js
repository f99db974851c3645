// The channel strips: live numbers, states of the instruments, the level bar, and a trace of the
// last ten seconds. Owns the canvases of the strips and the calibration sheet's live reading; the
// numbers come ready to be read from the server.
import { listen, unpack } from "../shell/js/live.js";
import { fitted, line, rem } from "../shell/js/axes.js";
import { labelled } from "../shell/js/ticks.js";
import { renewPart } from "../shell/js/parts.js";
import { COLOURS } from "../shell/js/colours.js";
import { asRead } from "../shell/js/decimal_sign.js";

const SECONDS = 10;
const PAINT_EVERY = 40; // ms: readings come every 48
const traces = new Map(); // channel → {t, y, pace}
const latest = new Map(); // channel → what the strip was last told
const corrections = new Map();
let changed = true; // whether there is something new to paint
let painted = 0;
let scale = null; // the common scale while strips are matched: {lo, hi}

const bench = () => document.getElementById("bench");
const strips = () => document.querySelectorAll(".strip");

listen(bench().dataset.events, {
  strips: ({ strips: shown, states, shape }) => {
    changed = true;
    for (const strip of shown) tell(strip);
    for (const [feed, state] of Object.entries(states)) tellState(feed, state);
    const instruments = document.getElementById("instruments");
    if (instruments.dataset.shape !== shape && !instruments.dataset.asking) ask(instruments);
  },
  readings: (batch) => {
    changed = true;
    const { t, columns } = unpack(batch);
    batch.channels.forEach((channel, place) => {
      follow(String(channel), batch.corrections[place]);
      add(String(channel), t, columns[place], batch.pace);
    });
  },
});

async function ask(instruments) {
  // What is being typed is not taken away; the next event asks again.
  if (document.activeElement?.closest(".menu[open]")) return;
  instruments.dataset.asking = "yes";
  const came = await renewPart(bench().dataset.strips, "#instruments");
  if (!came) delete instruments.dataset.asking;
}

// An answer that was under way when typing began waits as well.
document.addEventListener("htmx:beforeSwap", (event) => {
  const { target, requestConfig } = event.detail;
  const menu = document.activeElement?.closest(".menu[open]");
  if (target?.id !== "instruments" || !menu || menu.contains(requestConfig?.elt)) return;
  event.detail.shouldSwap = false;
  delete target.dataset.asking;
});

function tell(state) {
  latest.set(String(state.channel), state);
  const raw = document.querySelector(`[data-raw="${state.channel}"]`);
  if (raw) raw.textContent = state.raw;
  const strip = document.querySelector(`.strip[data-channel="${state.channel}"]`);
  if (!strip) return;
  for (const name of ["text", "noise", "remark", "digits", "shared"]) {
    const place = strip.querySelector(`[data-shown="${name}"]`);
    if (place.textContent !== state[name]) place.textContent = state[name];
  }
  const match = strip.querySelector('[data-shown="match"]');
  match.textContent = state.match?.words ?? "";
  match.dataset.matched = String(Boolean(state.match?.matched));
}

function tellState(feed, state) {
  const card = document.querySelector(`.instrument[data-feed="${feed}"]`);
  if (!card) return;
  card.querySelector(".state").dataset.health = state.health;
  for (const name of ["reason", "advice"]) {
    const place = card.querySelector(`[data-state="${name}"]`);
    if (place.textContent !== state[name]) place.textContent = state[name];
  }
}

function add(channel, t, y, pace) {
  let trace = traces.get(channel);
  const span = SECONDS * pace;
  if (!trace || trace.pace !== pace || t[0] < trace.t.at(-1) || t[0] > trace.t.at(-1) + span)
    traces.set(channel, (trace = { t: [], y: [], pace }));
  trace.t.push(...t);
  trace.y.push(...y);
  const since = trace.t.at(-1) - span;
  const old = trace.t.findIndex((time) => time >= since);
  if (old > 0) {
    trace.t.splice(0, old);
    trace.y.splice(0, old);
  }
}

// A new zero, sign or unit moves what is drawn already along with what comes; another curve does not.
function follow(channel, now) {
  const before = corrections.get(channel) ?? now;
  corrections.set(channel, now);
  const trace = traces.get(channel);
  if (!trace || JSON.stringify(before) === JSON.stringify(now)) return;
  if (before.curve !== now.curve) traces.delete(channel);
  else
    trace.y = trace.y.map(
      (y) => now.slope * ((y - before.shift) / before.slope + before.taken - now.taken) + now.shift,
    );
}

function paint(now) {
  requestAnimationFrame(paint);
  if (!changed || now - painted < PAINT_EVERY) return;
  [changed, painted] = [false, now];
  const matching = document.querySelector(".strips.matched");
  if (matching) scale = common(scale);
  else scale = null;
  for (const strip of strips()) {
    const { channel, lo, hi } = strip.dataset;
    const state = latest.get(channel);
    if (matching && state?.match && scale)
      paintMatch(strip.querySelector(".bar"), state, traces.get(channel));
    else {
      paintBar(strip.querySelector(".bar"), state?.level, +lo, +hi, "zeroed" in strip.dataset);
      paintTrace(strip.querySelector(".trace"), traces.get(channel));
    }
  }
}

// One scale that holds all strips of the match and the band, with room; it changes in wide steps only.
function common(before) {
  let [lo, hi] = [Infinity, -Infinity];
  for (const strip of strips()) {
    const state = latest.get(strip.dataset.channel);
    if (!state?.match || state.value === null) continue;
    lo = Math.min(lo, state.value, state.match.level - state.match.tolerance);
    hi = Math.max(hi, state.value, state.match.level + state.match.tolerance);
  }
  if (!(hi > lo)) return before;
  const room = hi - lo;
  if (before && lo > before.lo && hi < before.hi && room > 0.3 * (before.hi - before.lo))
    return before;
  return { lo: lo - 0.35 * room, hi: hi + 0.35 * room };
}

function axis(context, { left, top, bottom, size }, lo, hi) {
  const count = Math.max(2, Math.min(7, Math.round((bottom - top) / (2.2 * size))));
  const place = (value) => bottom - ((value - lo) / (hi - lo)) * (bottom - top);
  context.font = `${0.8125 * size}px "Source Sans 3"`;
  context.textAlign = "right";
  context.textBaseline = "middle";
  for (const [value, text] of labelled(lo, hi, count)) {
    context.fillStyle = COLOURS.soft;
    context.fillText(asRead(text), left - 8, place(value));
    context.strokeStyle = COLOURS.tick;
    line(context, left - 5, place(value), left, place(value));
  }
  return place;
}

function paintMatch(canvas, state, trace) {
  const { context, width, height } = fitted(canvas);
  const size = rem();
  const room = { left: 3.2 * size, top: 0.8 * size, bottom: height - 0.8 * size, size };
  const place = axis(context, room, scale.lo, scale.hi);
  const { level, tolerance, matched } = state.match;
  context.fillStyle = COLOURS.within;
  context.fillRect(
    room.left,
    place(level + tolerance),
    width - room.left,
    place(level - tolerance) - place(level + tolerance),
  );
  if (state.value === null) return;
  const y = Math.min(room.bottom, Math.max(room.top, place(state.value)));
  const colour = matched ? COLOURS.moss : COLOURS.lead;
  context.fillStyle = colour;
  context.fillRect(room.left + 8, y, 2 * size, room.bottom - y);
  context.fillStyle = COLOURS.ink;
  context.fillRect(room.left + 3, y - 1, 2 * size + 10, 2);
  const start = room.left + 2 * size + 18;
  curve(
    context,
    trace,
    start,
    width - 3,
    (value) => Math.min(room.bottom, Math.max(room.top, place(value))),
    colour,
  );
}

function paintBar(canvas, level, lo, hi, zeroed) {
  if (!canvas.clientHeight) return; // many strips: the level is told by the trace alone
  const { context, height } = fitted(canvas);
  const size = rem();
  const room = { left: 3.4 * size, top: 0.8 * size, bottom: height - 0.8 * size, size };
  const { left, top, bottom } = room;
  const place = axis(context, room, lo, hi);
  context.fillStyle = COLOURS.ruler;
  context.fillRect(left + 4, top, 2.6 * size, bottom - top);
  if (Number.isFinite(level)) {
    const y = bottom - level * (bottom - top);
    context.fillStyle = COLOURS.moss;
    context.fillRect(left + 4, y, 2.6 * size, bottom - y);
    context.fillStyle = COLOURS.ink;
    context.fillRect(left, y - 1, 2.6 * size + 8, 2);
  }
  if (zeroed && lo < 0 && hi > 0) {
    context.fillStyle = COLOURS.brass;
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
  context.fillText(asRead(`last ${SECONDS * (trace?.pace ?? 1)} s`), right, height - 3);
  context.strokeStyle = COLOURS.hairline;
  line(context, left, bottom + 0.5, right, bottom + 0.5);
  if (!trace || trace.t.length < 2) return;
  let [lo, hi] = [Infinity, -Infinity];
  for (const value of trace.y) {
    if (value < lo) lo = value;
    if (value > hi) hi = value;
  }
  if (!Number.isFinite(lo) || !Number.isFinite(hi)) return;
  if (!(hi > lo)) {
    hi = lo + 1;
    lo -= 1;
  }
  const room = (hi - lo) * 0.08;
  lo -= room;
  hi += room;
  const y = (value) => bottom - ((value - lo) / (hi - lo)) * (bottom - top);
  context.textBaseline = "middle";
  for (const [value, text] of labelled(lo, hi, 2)) {
    context.fillText(asRead(text), left - 8, y(value));
    line(context, left - 5, y(value), right, y(value));
  }
  curve(context, trace, left, right, y, COLOURS.lead);
}

function curve(context, trace, left, right, y, colour) {
  if (!trace || trace.t.length < 2) return;
  const end = trace.t.at(-1);
  context.strokeStyle = colour;
  context.lineWidth = 1.3;
  context.beginPath();
  let drawn = false;
  for (let i = 0; i < trace.t.length; i++) {
    if (!Number.isFinite(trace.y[i])) {
      drawn = false;
      continue;
    }
    const x = right - ((end - trace.t[i]) / (SECONDS * trace.pace)) * (right - left);
    if (drawn) context.lineTo(x, y(trace.y[i]));
    else context.moveTo(x, y(trace.y[i]));
    drawn = true;
  }
  context.stroke();
  context.lineWidth = 1;
}

// The calibration sheet: the focus goes to it and comes back to the strip it was opened from.
const sheet = () => document.getElementById("side-sheet");
let opener = null;
let atTake = false;
function closeSheet() {
  sheet().replaceChildren();
  document.getElementById(opener)?.focus();
}
document.addEventListener("click", (event) => {
  if (event.target.id.startsWith("calibrate-")) opener = event.target.id;
  if (event.target.closest("[data-close-sheet]")) closeSheet();
});
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && sheet().contains(document.activeElement) && !event.defaultPrevented)
    closeSheet();
});
document.addEventListener("htmx:beforeRequest", (event) => {
  if (sheet().contains(event.target))
    atTake = document.activeElement?.id === "take" || document.activeElement?.id === "known";
});
// What is typed while a take goes on is still there when it is done.
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.requestConfig.elt.id !== "taking" || event.detail.target !== sheet()) return;
  const row = [...document.querySelectorAll(".take-row input")].map((input) => [
    input.name,
    input.value,
  ]);
  sheet().addEventListener(
    "htmx:afterSwap",
    () => {
      for (const [name, value] of row)
        sheet().querySelector(`.take-row [name="${name}"]`).value = value;
    },
    { once: true },
  );
});
document.addEventListener("htmx:afterSwap", (event) => {
  if (event.target !== sheet() || sheet().contains(document.activeElement)) return;
  const taken = atTake && document.getElementById("known");
  (taken || document.getElementById("sheet-title"))?.focus();
});
addEventListener("resize", () => (changed = true));
document.addEventListener("bench-changed", () => ask(document.getElementById("instruments")));

requestAnimationFrame(paint);
