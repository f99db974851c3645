// Replay: a recorded run against the clock; traces, numbers, slider and the rig's drawing together.
// Owns #replay, the drawing of the rig as it was then, and the large numbers while it is open.
import { contentAt } from "../shell/js/answers.js";
import { parts, place } from "../bench/drawing.js";
import { fixed } from "../shell/js/numbers.js";
import { fill } from "./following.js";
import { begin, countUntil } from "./traces.js";

const main = document.querySelector("main.record");
const bar = document.getElementById("replay");
const play = document.getElementById("replay-play");
const slider = /** @type {HTMLInputElement} */ (document.getElementById("replay-at"));
const trouble = document.getElementById("replay-trouble");
let run = null;
let speed = 1;
let playing = false;
let before = 0; // when the last frame was
let drawings = []; // of the rigs: their parts, and how they looked

export const replay = {
  get run() {
    return run;
  },
  get isOpen() {
    return run !== null;
  },
  open,
  close,
  toggle,
  frame,
  key,
};

let opening = 0; // the latest opening wins, whichever answer comes first

// Show a run from its start, or at its end where it is only to be looked at.
async function open(number, { atEnd = false } = {}) {
  const turn = ++opening;
  trouble.textContent = "";
  const content = await contentAt(main.dataset.replayUrl.replace(/0\/replay$/, `${number}/replay`));
  if (!content || turn !== opening) return;
  if (content.trouble) {
    if (!atEnd) trouble.textContent = content.trouble;
    return;
  }
  const next = begin(content, content.from, content.until);
  await Promise.all(next.streams.map(fill));
  if (turn !== opening) return;
  run = next;
  run.at = atEnd ? null : run.from;
  main.dataset.looking = number;
  bar.hidden = false;
  slider.min = run.from;
  slider.max = run.until;
  slider.value = atEnd ? run.until : run.from;
  pause();
  say();
  if (!atEnd) {
    await enter();
    toggle();
    play.focus({ preventScroll: true });
  }
}

// From looking at a run to going through it: numbers and drawing are then those of the run.
async function enter() {
  if (main.dataset.replaying) return;
  run.at ??= run.until;
  main.dataset.replaying = run.number;
  showNumbers();
  tell();
  await showScenes();
}

function close() {
  opening++; // what is just being opened is not wanted any more
  if (!run) return;
  pause();
  run = null;
  drawings = [];
  announce();
  delete main.dataset.replaying;
  delete main.dataset.looking;
  bar.hidden = true;
  trouble.textContent = "";
  document.getElementById("replay-status").textContent = "";
  document.querySelectorAll(".rig-then, #numbers .then").forEach((element) => element.remove());
}

function toggle() {
  if (playing) {
    pause();
    return;
  }
  if (run.at === null || run.at >= run.until) run.at = run.from;
  enter();
  playing = true;
  before = performance.now();
  play.querySelector("[data-word]").textContent = "Pause";
}

function pause() {
  playing = false;
  play.querySelector("[data-word]").textContent = "Replay";
  if (run && run.at !== null) announce();
}

function frame(now) {
  // called for every picture
  if (!playing || !run) return;
  run.at = Math.min(run.until, run.at + ((now - before) / 1000) * speed);
  before = now;
  if (run.at >= run.until) pause();
  tell();
}

function key(event) {
  // true where the key was for the replay
  if (!run || event.target.matches("input:not(#replay-at), select, textarea")) return false;
  if (event.key === "r" && !event.repeat) toggle();
  else if (event.key === "ArrowLeft" || event.key === "ArrowRight")
    step((event.key === "ArrowLeft" ? -1 : 1) * (event.shiftKey ? 10 : 1));
  else if (event.key === "Escape") close();
  else return false;
  return true;
}

function step(by) {
  // from reading to reading of the stream that has most
  pause();
  const t = run.streams
    .map((stream) => stream.t.all)
    .reduce((most, stamps) => (stamps.length > most.length ? stamps : most));
  const index = countUntil(t, run.at ?? run.until) - 1 + by;
  run.at = t[Math.min(Math.max(index, 0), t.length - 1)];
  enter();
  tell();
}

function tell() {
  slider.value = run.at;
  say();
  announce();
  for (const stream of run.streams) {
    const index = countUntil(stream.t.all, run.at) - 1;
    for (const graph of stream.graphs) {
      if (graph.shown)
        graph.shown.textContent =
          index < 0 ? "–" : fixed(graph.y.all[index], graph.quantity.decimals);
    }
  }
  for (const drawing of drawings) look(drawing);
}

// Whatever else shows the run, its film perhaps, goes along.
function announce() {
  const detail = { number: run?.number ?? null, at: run?.at, speed: playing ? speed : 0 };
  document.dispatchEvent(new CustomEvent("replay", { detail }));
}

function say() {
  const leading = run.streams[0];
  const every = run.streams.some((stream) => stream.every > 1)
    ? ` · every ${leading.every}th reading`
    : "";
  const at = run.at === null ? "" : `t = ${fixed(run.at, leading.decimals)} s · `;
  document.getElementById("replay-status").textContent = `${at}run ${run.number}${every}`;
}

function showNumbers() {
  const numbers = document.getElementById("numbers");
  numbers.querySelectorAll(".then").forEach((element) => element.remove());
  for (const graph of run.streams.flatMap((stream) => stream.graphs)) {
    const big = document.createElement("div");
    big.className = "big then";
    graph.shown = Object.assign(document.createElement("span"), { textContent: "–" });
    const unit = Object.assign(document.createElement("span"), {
      className: "unit",
      textContent: graph.quantity.unit,
    });
    const of = Object.assign(document.createElement("span"), { className: "of" });
    of.append(
      Object.assign(document.createElement("i"), {
        className: "symbol",
        textContent: graph.quantity.symbol,
      }),
      ` run ${run.number}`,
    );
    big.append(graph.shown, unit, of);
    numbers.prepend(big);
  }
}

async function showScenes() {
  document.querySelectorAll(".rig-then").forEach((element) => element.remove());
  drawings = [];
  for (const scene of run.scenes) {
    const shown = await contentAt(main.dataset.scene.replace("KEY", scene.rig), "text");
    if (shown === null || !run) continue;
    document.getElementById("rigs").insertAdjacentHTML("beforebegin", shown);
    const drawn = [...document.querySelectorAll(".rig-then")].at(-1);
    if (!main.dataset.replaying) return;
    drawings.push({ parts: parts(drawn), states: scene.states });
    look(drawings.at(-1));
  }
}

function look({ parts: moved, states }) {
  // between two looks the parts go evenly
  const at = run.at ?? run.until;
  const after = Math.min(countUntil(states.t, at), states.t.length - 1);
  const first = Math.max(0, after - 1);
  const span = states.t[after] - states.t[first];
  const share = span > 0 ? Math.min(1, Math.max(0, (at - states.t[first]) / span)) : 1;
  const state = {};
  for (const name of Object.keys(states)) {
    const [from, to] = [states[name][first], states[name][after]];
    const anew = (name === "turned" || name === "since" || name === "fallen") && to < from;
    state[name] = anew ? from : from + (to - from) * share;
  }
  for (const part of moved) place(part, state);
}

play.addEventListener("click", () => {
  if (run) toggle();
});
slider.addEventListener("input", () => {
  pause();
  run.at = Number(slider.value);
  enter();
  tell();
});
document.getElementById("replay-close").addEventListener("click", close);
bar.addEventListener("click", (event) => {
  const chosen = event.target.closest("[data-speed]");
  if (!chosen) return;
  speed = Number(chosen.dataset.speed);
  for (const button of bar.querySelectorAll("[data-speed]"))
    button.setAttribute("aria-pressed", String(button === chosen));
});
