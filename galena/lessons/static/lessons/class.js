// The teacher's page of a lesson: looks anew when something has happened in it.
// Owns nothing but when to ask; what is typed or open meanwhile stays.
import { listen } from "../shell/js/live.js";
import { renewPart } from "../shell/js/parts.js";
import { say } from "../shell/js/frame.js";

const page = document.getElementById("class-page");
const SOON = 400; // ms: what happens at once is looked at once
const EVERY = 15_000; // ms: minutes away pass without an event
let waiting = null;
let source = null;

// What was just chosen or typed is not sent yet: it must not be swapped away meanwhile.
const REST = 8000; // ms
let changed = 0;
document.addEventListener("input", (event) => {
  if (event.target.closest("#class-now")) changed = performance.now();
});
document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.requestConfig.verb !== "get") changed = 0;
});

const inUse = () =>
  (changed && performance.now() - changed < REST) ||
  document.querySelector(
    "#class-now details.menu[open], #ask-place .ask-all, #class-now .htmx-request",
  ) ||
  document.activeElement?.closest("#class-now input, #class-now select, #class-now textarea");

function soon() {
  waiting ??= setTimeout(look, SOON);
}

async function look() {
  waiting = null;
  if (document.hidden) return;
  if (inUse()) {
    waiting = setTimeout(look, 2000);
    return;
  }
  await renewPart(page.dataset.now, "#class-now");
}

// A hand may have begun something while the answer was on its way.
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.pathInfo.requestPath !== page.dataset.now || !inUse()) return;
  event.detail.shouldSwap = false;
  waiting ??= setTimeout(look, 2000);
});

// The copies of groups that came in later are listened to as well.
let groups = document.getElementById("class-now").dataset.groups;
document.addEventListener("htmx:afterSettle", () => {
  const now = document.getElementById("class-now")?.dataset.groups;
  if (now === undefined || now === groups) return;
  groups = now;
  begin();
});

function begin() {
  source?.close();
  source = listen(page.dataset.events, {
    class: soon,
    lesson: soon,
    desk: soon,
    run: soon,
    hello: () => say(""),
  });
  source.onerror = () =>
    say("No connection to the server. The lesson goes on; this page catches up.");
}

begin();
setInterval(soon, EVERY);
document.addEventListener("visibilitychange", () => {
  if (!document.hidden) soon();
});
