// Record: the large numbers, the clock and the trace of the run as it forms; Space starts and stops.
// Owns what of a run is known on this page. Listens to the live events and to keys.
import { contentAt } from "../shell/js/answers.js";
import { listen } from "../shell/js/live.js";
import { say } from "../shell/js/frame.js";
import { clock as clockText, grouped } from "../shell/js/numbers.js";
import { renewPart } from "../shell/js/parts.js";
import { askForMissed, askForTheLast, receive } from "./following.js";
import { begin, lastTime, paintRun, signature } from "./traces.js";
import { writeNumber } from "./readout.js";
import { replay } from "./replay.js";
import { keep } from "./derived_traces.js";
import { beginAnew, isOvertaken, readStatus } from "./standing.js";

const main = document.querySelector("main.record");
const clock = document.getElementById("clock");
const taken = document.getElementById("taken");
let run = null; // what is being recorded, or was recorded last, on this page
let phase = readStatus().phase;

function follow(status) {
  if (status.recording === null || (run?.id === status.recording && !run.ended)) return;
  replay.close();
  run = begin({ ...status, id: status.recording }, -(status.before ?? 0), status.duration);
  run.ended = false;
  document.body.dispatchEvent(new Event("run-list-changed"));
  document.getElementById("planned").textContent =
    run.duration === null ? "until stopped" : `of ${clockText(run.duration, run.until)}`;
  askForMissed(run);
}

const events = listen(main.dataset.events, {
  "strips": ({ strips }) => {
    for (const strip of strips) {
      const shown = document.querySelector(
        `#numbers [data-channel="${strip.channel}"] [data-shown]`,
      );
      if (shown) writeNumber(shown, strip.text);
    }
    document.dispatchEvent(new CustomEvent("strips", { detail: strips }));
  },
  "run": () => {
    // a short run may begin and end between two looks at the status
    refresh();
    document.body.dispatchEvent(new Event("run-list-changed"));
  },
  "means": ({ means }) => document.dispatchEvent(new CustomEvent("means", { detail: means })),
  "awaited": ({ text, how, trouble }) => {
    const line = document.getElementById("awaited");
    if (line) line.textContent = text + (how ? `: ${how}` : "");
    const notice = document.getElementById("trouble");
    if (notice) notice.textContent = trouble;
  },
  "run-readings": (batch) => receive(run, batch),
  "gap": () => run && askForMissed(run),
  "hello": () => {
    say("");
    beginAnew();
    refresh();
  },
});
events.onerror = () =>
  say("No connection to the server. What is being recorded goes on; the picture catches up.");

// The plan is only drawn anew when a run began or ended, so that nothing typed is lost.
async function refresh() {
  const status = await contentAt(main.dataset.status);
  if (!status || isOvertaken(status)) return;
  const shown = readStatus();
  if (
    status.recording !== shown.recording ||
    status.phase !== shown.phase ||
    status.stepping !== shown.stepping ||
    String(status.used) !== String(shown.used)
  ) {
    renewPart(main.dataset.panel, "#plan");
  }
  const trouble = document.getElementById("trouble");
  if (trouble) trouble.textContent = status.trouble ?? "";
  await look(status);
}

async function look(status) {
  const before = phase;
  phase = status.phase;
  if (before === "" && phase !== "" && replay.isOpen) await leaveReplay();
  document.dispatchEvent(new CustomEvent("phase", { detail: { phase, status } }));
  if (status.recording !== null) follow(status);
  else if (run && !run.ended) await end();
  else if (before !== phase) document.body.dispatchEvent(new Event("run-list-changed"));
}

// What is recorded or waited for has the keys now; while one waits, the run stays in sight.
async function leaveReplay() {
  const { number } = replay.run;
  replay.close();
  if (phase === "armed") await replay.open(number, { atEnd: true });
}

let wishes = 0; // how often somebody asked for a replay: that goes before what the page shows itself

async function end() {
  // the last readings may have come between two events
  const ended = run;
  const before = wishes;
  ended.ended = true;
  await askForTheLast(ended);
  document.body.dispatchEvent(new Event("run-list-changed"));
  if (phase !== "recording" && wishes === before) await replay.open(ended.number, { atEnd: true });
}

document.body.addEventListener("plan-changed", () => {
  main.dataset.kind = document.getElementById("plan").dataset.kind;
  look(readStatus());
});
main.dataset.kind = document.getElementById("plan").dataset.kind;

// What was typed after the plan was asked for anew is still there when the answer comes.
document.addEventListener("htmx:beforeSwap", (event) => {
  const { target, requestConfig, shouldSwap } = event.detail;
  if (
    !shouldSwap ||
    target?.id !== "plan" ||
    !(requestConfig?.verb === "get" || requestConfig?.path.endsWith("/panel"))
  )
    return;
  const sent = requestConfig.formData;
  const typed = [...target.querySelectorAll("#act input.entry")].filter(
    ({ name, value }) => sent.has(name) && sent.get(name) !== value,
  );
  const kept = typed.map(({ id, value }) => [id, value]);
  document.addEventListener(
    "htmx:afterSwap",
    () => {
      for (const [id, value] of kept) {
        const field = document.getElementById(id);
        if (field) field.value = value;
      }
    },
    { once: true },
  );
});
// Of answers to several askings for the list of runs only that to the latest is shown.
let listings = 0;
const isListing = ({ detail }) => detail.target?.id === "run-list";
document.addEventListener("htmx:beforeRequest", (event) => {
  if (isListing(event)) event.detail.xhr.listing = ++listings;
});
document.addEventListener("htmx:beforeSwap", (event) => {
  if (isListing(event) && event.detail.xhr.listing !== listings) event.detail.shouldSwap = false;
});
follow(readStatus());
setInterval(() => {
  if (phase !== "") refresh();
}, 2000);
document.addEventListener("visibilitychange", () => {
  if (!document.hidden) refresh();
});

document.addEventListener("click", (event) => {
  const number = event.target.closest("[data-replay]")?.dataset.replay;
  if (!number || phase === "recording") return;
  wishes++;
  replay.close();
  replay.open(number);
});
const wanted = new URLSearchParams(location.search).get("replay");
const newest = document.querySelector("#run-list [data-replay]")?.dataset.replay;
if (phase === "" && wanted) replay.open(wanted);
else if (phase === "" && newest && main.dataset.kind !== "stepwise")
  replay.open(newest, { atEnd: true });

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.altKey || event.metaKey) return;
  if (document.querySelector("[popover]:popover-open")) return;
  if (replay.isOpen && (replay.run.at !== null || event.key === "r") && replay.key(event)) {
    event.preventDefault();
    return;
  }
  if (event.repeat) return;
  const act = { Space: "[data-space]", Enter: "[data-enter]", Escape: "[data-escape]" }[event.code];
  if (!act || (event.code !== "Escape" && wantsSpace(event.target))) return;
  const button = document.querySelector(`${act}:not(:disabled)`);
  if (!button) return;
  event.preventDefault();
  button.click();
});

// Space belongs to a field that is typed in, and to a box or button that was reached by keyboard.
function wantsSpace(target) {
  const own = target.closest("input:not([type=range]), textarea, select, button, a, summary");
  return (
    own !== null &&
    (!own.matches("[type=checkbox], [type=radio], button, a, summary") ||
      own.matches(":focus-visible"))
  );
}

let painted = ""; // what the last picture showed: it is painted anew only when that changed

function paint(now) {
  replay.frame(now);
  const shown = replay.run ?? run;
  if (shown) keep(shown, now);
  const current = shown && signature(shown);
  if (shown && current !== painted) {
    painted = current;
    clock.textContent = clockText(shown.at ?? lastTime(shown), shown.until);
    if (replay.isOpen)
      document.getElementById("planned").textContent =
        shown.at === null ? `run ${shown.number}` : `of ${clockText(shown.until, shown.until)}`;
    const counts = shown.streams.map(({ t }) => grouped(t.length)).join(" + ");
    taken.textContent = `run ${shown.number}: ${counts} readings`;
    paintRun(shown);
  }
  requestAnimationFrame(paint);
}
requestAnimationFrame(paint);
