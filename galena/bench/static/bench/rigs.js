// The drawing of the rig in front: moves its parts as the rig's state goes on.
// Owns the parts with data-bind in #rig, and the numbers beside the handles. Listens to the
// rig's events, and to a new rig being put in front.
import { listen } from "../shell/js/live.js";
import { parts, place } from "./drawing.js";

const BETWEEN = 110; // ms from one event to the next: the parts take as long to their new places
const partsOf = new WeakMap(); // of a drawing: the parts that move
let source = null;
let shown = null; // state drawn now
let goal = null;
let since = 0;
let still = false; // nothing moves, so nothing need be drawn

function draw(now) {
  const rig = document.getElementById("rig");
  if (rig && shown && goal && !still) {
    const share = Math.min(1, (now - since) / BETWEEN);
    const state = {};
    for (const [name, value] of Object.entries(goal)) {
      const before = shown[name] ?? value;
      // What begins anew (a turn, a time) is not drawn on its way back.
      const anew = (name === "turned" || name === "since" || name === "fallen") && value < before;
      state[name] = anew ? value : before + (value - before) * share;
    }
    if (!partsOf.has(rig)) partsOf.set(rig, parts(rig));
    for (const part of partsOf.get(rig)) place(part, state);
    if (share === 1) {
      shown = goal;
      still = true;
    }
  }
  requestAnimationFrame(draw);
}

function follow() {
  const rig = document.getElementById("rig");
  if (source && source.rig === rig?.dataset.rig) {
    still = false; // a drawing that has just come must be drawn once
    if (rig) tell(JSON.parse(document.getElementById("rig-state").textContent));
    return;
  }
  source?.close();
  source = null;
  shown = goal = null;
  still = false;
  if (!rig) return;
  tell(JSON.parse(document.getElementById("rig-state").textContent));
  source = listen(rig.dataset.events, { rig: ({ state }) => tell(state) });
  source.rig = rig.dataset.rig;
}

function tell(state) {
  const moved =
    !goal || Object.keys(state).some((name) => name !== "t" && state[name] !== goal[name]);
  if (!moved) return;
  still = false;
  shown = goal ?? state;
  goal = state;
  since = performance.now();
  for (const number of document.querySelectorAll("#rig [data-handle]")) {
    const slide = document.getElementById(`handle-${number.dataset.handle}`);
    const value = state[number.dataset.handle];
    if (value === undefined || slide === document.activeElement) continue;
    slide.value = value;
    number.textContent = String(+value.toFixed(3));
  }
}

document.addEventListener("input", (event) => {
  const number = document.querySelector(
    `#rig [data-handle="${event.target.id.replace("handle-", "")}"]`,
  );
  if (number) number.textContent = event.target.value;
});
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.target.id !== "rigs") return;
  document.querySelector("#rig-list[data-choosing]")?.showPopover();
  follow();
});
follow();
requestAnimationFrame(draw);
