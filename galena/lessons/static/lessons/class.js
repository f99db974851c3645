// The teacher's page of a lesson: looks anew when something has happened in it.
// Owns nothing but when to ask; what is typed or open meanwhile stays.
import { listen } from "../shell/js/live.js";
import { say } from "../shell/js/frame.js";

const page = document.getElementById("class-page");
const SOON = 400; // ms: what happens at once is looked at once
const EVERY = 15_000; // ms: minutes away pass without an event
let waiting = null;
let source = null;

const inUse = () =>
  document.querySelector("#class-now details.menu[open], #ask-place .ask-all") ||
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
  await htmx.ajax("GET", page.dataset.now, { target: "#class-now", swap: "outerHTML" });
}

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
