// The group's page: what is live from the teacher, drawn as it comes, and what else is new.
// Owns what is known of the teacher's run. Computes nothing that anyone writes down.
import { contentAt } from "../shell/js/answers.js";
import { listen } from "../shell/js/live.js";
import { say } from "../shell/js/frame.js";
import { renewPart } from "../shell/js/parts.js";
import { grouped } from "../shell/js/numbers.js";
import { askForMissed, askForTheLast, fill, receive } from "../recording/following.js";
import { begin, lastTime, paintRun, signature } from "../recording/traces.js";

const page = document.getElementById("group-page");
const card = document.getElementById("live-card");
const words = document.getElementById("live-words");
const SPREAD = 1500; // ms: so that a class does not ask all at once
let run = null;
let waiting = null;

// A hand is in an answer, or on its button: it is not taken away from under it.
const isTyping = () => document.activeElement?.closest("#group-now .typed-answer");

const typed = () =>
  [...document.querySelectorAll("#group-now input:not([type=hidden])")].filter(
    (field) => field.value !== field.defaultValue,
  );

function soon(within = SPREAD) {
  waiting ??= setTimeout(look, Math.random() * within);
}

async function look() {
  waiting = null;
  if (isTyping()) {
    waiting = setTimeout(look, 2000);
    return;
  }
  await renewPart(page.dataset.now, "#group-now");
}

// A hand may have begun to type while the answer was on its way.
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.pathInfo.requestPath !== page.dataset.now) return;
  if (isTyping()) {
    event.detail.shouldSwap = false;
    waiting ??= setTimeout(look, 2000);
    return;
  }
  const kept = typed().map(({ id, value }) => [id, value]);
  const putBack = () => {
    for (const [id, value] of kept) {
      const field = document.getElementById(id);
      if (field) field.value = value;
    }
  };
  if (kept.length) document.addEventListener("htmx:afterSwap", putBack, { once: true });
});

async function follow() {
  const status = await contentAt(`${page.dataset.status}?has=${run?.number ?? 0}`);
  if (!status) return;
  if (status.recording === null) {
    if (run && !run.ended) await end();
    else if (status.last?.streams) await showLast(status.last);
    return;
  }
  if (run?.id === status.recording) return;
  card.hidden = false;
  run = begin({ ...status, id: status.recording }, -(status.before ?? 0), status.duration);
  run.ended = false;
  askForMissed(run);
}

// Who comes after a run has ended sees all of it as well.
async function showLast(last) {
  if (last.number <= (run?.number ?? 0)) return; // another answer was quicker
  card.hidden = false;
  run = begin(last, last.from, last.until);
  run.ended = true;
  await Promise.all(run.streams.map(fill));
}

async function end() {
  run.ended = true;
  await askForTheLast(run);
}

const events = listen(page.dataset.events, {
  "run-readings": (batch) => receive(run, batch),
  "gap": () => run && askForMissed(run),
  "run": () => {
    follow();
    soon();
  },
  "lesson": ({ what }) => {
    if (what === "ended" || what === "copy" || what === "name") location.reload();
    else soon(what === "word" || what === "loan" ? 100 : SPREAD);
  },
  "desk": () => soon(),
  "hello": () => {
    say("");
    follow();
    soon(); // a device that slept looks at what it missed
  },
});
events.onerror = () =>
  say("No connection to the server. Nothing you did is lost; this page goes on by itself.");

setInterval(() => {
  if (run && !run.ended) follow(); // its end may have come while this device slept
}, 3000);
document.addEventListener("visibilitychange", () => {
  if (!document.hidden) follow();
});

let painted = "";
function paint() {
  const current = run && `${signature(run)} ${run.ended}`;
  if (run && current !== painted) {
    painted = current;
    const counts = run.streams.map(({ t, readings }) => grouped(readings ?? t.length)).join(" + ");
    const lasts = Math.max(0, lastTime(run)).toFixed(1);
    document.getElementById("live-now").textContent = run.ended ? "Recorded by" : "Live from";
    words.textContent = run.ended
      ? `run ${run.number}: ${counts} readings`
      : `run ${run.number} · ${lasts} s`;
    paintRun(run);
  }
  requestAnimationFrame(paint);
}
requestAnimationFrame(paint);
