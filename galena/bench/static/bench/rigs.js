// The drawing of the rig in front: moves its parts as the rig's state goes on.
// Owns the parts with data-bind in #rig, and the numbers beside the handles. Listens to the
// rig's events, and to a new rig being put in front.
//
// data-bind="ATTRIBUTE:STATE:FACTOR:OFFSET …" sets ATTRIBUTE to FACTOR · STATE + OFFSET, with a
// least and a greatest value after that if wanted. Attributes x-move, y-move, turn (with
// data-centre="x y"), x-size and y-size become a transform.
import { listen } from "../shell/js/live.js";

const BETWEEN = 110; // ms from one event to the next: the parts take as long to their new places
let source = null;
let shown = null; // state drawn now
let goal = null;
let since = 0;

function parts(rig) {
  return [...rig.querySelectorAll("[data-bind]")].map((element) => ({
    element,
    rules: element.dataset.bind.split(/\s+/).map((rule) => {
      const [attribute, state, factor, offset, least, most] = rule.split(":");
      return { attribute, state, factor: +factor, offset: +offset, least: least === undefined ? -Infinity : +least, most: most === undefined ? Infinity : +most };
    }),
  }));
}

function place({ element, rules }, state) {
  let transform = "";
  for (const rule of rules) {
    const value = Math.min(rule.most, Math.max(rule.least, rule.factor * (state[rule.state] ?? 0) + rule.offset));
    const text = value.toFixed(2);
    if (rule.attribute === "x-move") transform += `translate(${text} 0) `;
    else if (rule.attribute === "y-move") transform += `translate(0 ${text}) `;
    else if (rule.attribute === "turn") transform += `rotate(${text} ${element.dataset.centre}) `;
    else if (rule.attribute === "x-size") transform += `scale(${text} 1) `;
    else if (rule.attribute === "y-size") transform += `scale(1 ${text}) `;
    else element.setAttribute(rule.attribute, text);
  }
  if (transform) element.setAttribute("transform", transform);
}

function draw(now) {
  const rig = document.getElementById("rig");
  if (rig && shown && goal) {
    const share = Math.min(1, (now - since) / BETWEEN);
    const state = {};
    for (const [name, value] of Object.entries(goal)) {
      const before = shown[name] ?? value;
      // What begins anew (a turn, a time) is not drawn on its way back.
      const anew = (name === "turned" || name === "since" || name === "fallen") && value < before;
      state[name] = anew ? value : before + (value - before) * share;
    }
    rig.parts ??= parts(rig);
    for (const part of rig.parts) place(part, state);
    if (share === 1) shown = goal;
  }
  requestAnimationFrame(draw);
}

function follow() {
  const rig = document.getElementById("rig");
  if (source && source.rig === rig?.dataset.rig) {
    if (rig) tell(JSON.parse(document.getElementById("rig-state").textContent));
    return;
  }
  source?.close();
  source = null;
  shown = goal = null;
  if (!rig) return;
  tell(JSON.parse(document.getElementById("rig-state").textContent));
  source = listen(rig.dataset.events, { rig: ({ state }) => tell(state) });
  source.rig = rig.dataset.rig;
}

function tell(state) {
  shown = goal ?? state;
  goal = state;
  since = performance.now();
  for (const number of document.querySelectorAll("#rig [data-handle]")) {
    const slide = document.getElementById(`handle-${number.dataset.handle}`);
    const value = state[number.dataset.handle];
    if (value === undefined || slide === document.activeElement) continue;
    slide.value = value;
    number.textContent = +value.toFixed(3);
  }
}

document.addEventListener("input", (event) => {
  const number = document.querySelector(`#rig [data-handle="${event.target.id.replace("handle-", "")}"]`);
  if (number) number.textContent = event.target.value;
});
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.target.id !== "rigs") return;
  document.querySelector("#rig-list[data-choosing]")?.showPopover();
  follow();
});
follow();
requestAnimationFrame(draw);
