// Stepwise: the live means beside the setting, taking a reading again, and the small graph.
// Owns #points and what of a row is open. Listens to the live means, and to the rows being drawn
// anew; what is typed in the setting's field stays while others take readings.
import { drawAxes, fitted, rem, scales } from "../shell/js/axes.js";
import { COLOURS } from "../shell/js/colours.js";
import { renewPart } from "../shell/js/parts.js";
import { clipTo, drawMark, loadMarks } from "../shell/js/painter.js";

const main = document.querySelector("main.record");
const points = document.getElementById("points");
const markOf = loadMarks();
const steps = () => document.getElementById("steps");
let opened = null; // the number of the row that is to be taken again

function tell(channel, value, u) {
  const shown = steps().querySelector(`[data-mean="${channel}"]`);
  if (!shown) return;
  shown.querySelector("[data-mean-value]").textContent = value;
  shown.querySelector("[data-mean-u]").textContent = u ? `± ${u}` : "";
}

let means = false; // whether means come: before the first reading there are single readings only
document.addEventListener("means", ({ detail }) => {
  means = true;
  for (const mean of detail) tell(mean.channel, mean.text, mean.u);
  for (const now of steps().querySelectorAll("[data-live-now]"))
    now.textContent = detail.map((mean) => mean.whole).join(", ");
});
document.addEventListener("strips", ({ detail }) => {
  if (!means) for (const mean of detail) tell(mean.channel, mean.text, "");
});
document.addEventListener("phase", ({ detail: { phase, status } }) => {
  if (phase !== "stepwise") means = false;
  if (main.dataset.kind !== "stepwise") return;
  told = `${status.stepping ?? ""} ${status.version ?? ""}`;
  renewWhere(isOld);
});

// The rows are asked for one at a time, and not while an act on them is under way: its answer brings
// them. What was wished for meanwhile comes after.
let told = ""; // the version of the rows that the server last told of
let asking = false;
let late = new Set(); // wishes that came while rows were under way: whether they are still needed
const isOld = () => steps().dataset.version !== told;
const always = () => true;
const actIsUnderWay = () => steps().querySelector(".htmx-request") !== null;

function renewWhere(needed) {
  if (asking || actIsUnderWay()) late.add(needed);
  else if (needed()) renew();
}

function catchUp() {
  const wishes = [...late];
  late = new Set();
  if (wishes.length) renewWhere(() => wishes.some((needed) => needed()));
}
document.addEventListener("htmx:afterRequest", catchUp);

async function renew() {
  asking = true;
  const form = /** @type {HTMLFormElement} */ (document.getElementById("act"));
  const query = form?.querySelector("[name=kind-shown]")
    ? `?${new URLSearchParams(/** @type {any} */ (new FormData(form)))}`
    : "";
  await renewPart(main.dataset.steps + query, "#steps");
  asking = false;
  catchUp();
}

// What is being typed stays when the rows are drawn anew, whoever had them changed: a setting is
// carried over, and while a typed value is being corrected the rows wait.
let kept = [];
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.target?.id !== "steps" || !event.detail.shouldSwap) return;
  const cell = document.activeElement;
  if (
    cell?.matches("#steps .cell") &&
    cell.value !== cell.defaultValue &&
    event.detail.requestConfig?.elt !== cell
  ) {
    event.detail.shouldSwap = false;
    return;
  }
  kept = [...steps().querySelectorAll("#setting [data-typed]")].map(({ id, value }) => [id, value]);
});
document.addEventListener("focusout", (event) => {
  if (event.target.matches("#steps .cell")) renewWhere(isOld);
});
document.addEventListener("htmx:afterSwap", () => {
  for (const [id, value] of kept) {
    const field = document.getElementById(id);
    if (field) {
      field.value = value;
      field.dataset.typed = "yes";
    }
  }
  kept = [];
});
// Enter while a reading is being taken takes none: what was typed stays for the next Enter.
document.addEventListener(
  "submit",
  (event) => {
    if (!event.target.matches("#setting.htmx-request")) return;
    event.preventDefault();
    event.stopImmediatePropagation();
  },
  true,
);
document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.elt.id !== "setting") return;
  for (const field of event.detail.elt.querySelectorAll("[data-typed]")) delete field.dataset.typed;
});

document.addEventListener("change", (event) => {
  if (main.dataset.kind === "stepwise" && event.target.matches("#act [name=channel]"))
    renewWhere(always);
});
document.addEventListener("input", (event) => {
  if (event.target.closest("#setting")) event.target.dataset.typed = "yes";
});
document.body.addEventListener("plan-changed", () => {
  if (main.dataset.kind === "stepwise") renewWhere(always);
});
document.body.addEventListener("step-taken", () => {
  const field = steps().querySelector("#setting input");
  field?.focus();
  field?.select();
  steps().querySelector("tbody tr:last-child")?.scrollIntoView({ block: "nearest" });
  document.body.dispatchEvent(new Event("run-list-changed"));
});

document.addEventListener("click", (event) => {
  const again = event.target.closest("[data-again]");
  if (again) open(again.dataset.again);
  if (event.target.closest("[data-leave]")) open(null);
});
document.addEventListener(
  "keydown",
  (event) => {
    if (event.key === "Escape" && opened) {
      event.stopImmediatePropagation();
      open(null);
    }
  },
  true,
);

function open(number) {
  opened = number;
  showOpened();
  steps().querySelector("tr:has(.again:not([hidden])) [data-replace]")?.focus();
}

function showOpened() {
  for (const button of steps().querySelectorAll("[data-again]")) {
    const here = button.dataset.again === opened;
    button.setAttribute("aria-expanded", String(here));
    button.nextElementSibling.hidden = !here;
  }
}

document.body.addEventListener("step-again", () => {
  opened = null;
});
document.addEventListener("htmx:afterSettle", () => {
  showOpened();
  paint();
});
new ResizeObserver(paint).observe(points);
new MutationObserver(paint).observe(main, { attributes: true, attributeFilter: ["data-kind"] });
document.fonts.ready.then(paint);

function paint() {
  const shown = document.getElementById("step-points");
  const data = shown && main.dataset.kind === "stepwise" ? JSON.parse(shown.textContent) : null;
  points.hidden = !data;
  if (!data) return;
  const places = data.places.filter(Boolean);
  if (!places.length) return;
  const { context, width, height } = fitted(points);
  const size = rem();
  const box = {
    left: 4.3 * size,
    right: width - 0.7 * size,
    top: 0.8 * size,
    bottom: height - 2.9 * size,
  };
  const [x, y] = [0, 1].map((axis) => about(places.map((place) => place[axis])));
  const scale = scales(box, x, y);
  drawAxes(context, scale, { xLabel: data.x, yLabel: data.y });
  clipTo(context, box);
  data.places.forEach((place, row) => {
    if (!place) return;
    const mark = markOf(data.number);
    drawMark(
      context,
      data.odd.includes(row) ? { ...mark, colour: COLOURS.brass } : mark,
      scale.x(place[0]),
      scale.y(place[1]),
    );
  });
  context.restore();
}

function about(values) {
  // limits with some room, and zero with them where it is near
  const [lo, hi] = [Math.min(...values), Math.max(...values)];
  const room = (hi - lo || Math.abs(hi) || 1) * 0.08;
  return [lo > 0 && lo < 0.6 * hi ? 0 : lo - room, hi + room];
}
