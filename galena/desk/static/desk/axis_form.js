// The box beside a graph: the form of an axis, or a note that is written.
import { change, sheetOf } from "./sheets.js";

const desk = document.getElementById("desk");
const form = document.getElementById("axis-form");

// The form of an axis opens beside its label and has the keys; Escape gives them back.
let asker = null;
document.addEventListener("htmx:beforeRequest", (event) => {
  const { sheet: id, axis, graph } = event.detail.elt.dataset;
  if (axis && event.detail.elt.matches("form"))
    sheetOf(id)?.view.yieldTo({ axis, graph: Number(graph) });
});
document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.elt.matches(".axis-label")) asker = event.detail.elt;
});
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.detail.target !== form) return;
  if (!form.matches(":popover-open")) form.showPopover();
  beside(form, asker);
  (form.querySelector("[aria-invalid]") ?? form.querySelector("input, select"))?.focus();
});
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.target?.id === "sheets" && form.matches(":popover-open")) form.hidePopover();
});
document.addEventListener(
  "toggle",
  (event) => {
    if (event.target === form && event.newState === "closed" && asker?.isConnected) asker.focus();
  },
  true,
);

function beside(box, button) {
  const place = button?.getBoundingClientRect() ?? { right: 80, top: 120, left: 80 };
  const along = button?.matches(".along");
  const left = along
    ? (place.left + place.right) / 2 - box.offsetWidth / 2
    : place.left > innerWidth / 2
      ? place.left - box.offsetWidth - 6
      : place.right + 6;
  const top = along
    ? place.top - box.offsetHeight - 6
    : (place.top + place.bottom) / 2 - box.offsetHeight / 2;
  box.style.left = `${Math.max(8, Math.min(left, innerWidth - box.offsetWidth - 8))}px`;
  box.style.top = `${Math.max(8, Math.min(top, innerHeight - box.offsetHeight - 8))}px`;
}

// A note is written in the same box.
document.addEventListener("write-note", ({ detail: { sheet, note, at } }) => {
  const field = Object.assign(document.createElement("textarea"), {
    className: "entry",
    maxLength: 300,
    rows: 3,
    value: note?.element.dataset.text ?? "",
    ariaLabel: "Note",
  });
  const button = Object.assign(document.createElement("button"), {
    className: "act primary",
    textContent: "Save the note",
  });
  const own = document.createElement("form");
  own.append(Object.assign(document.createElement("h2"), { textContent: "Note" }), field, button);
  if (note) {
    const gone = Object.assign(document.createElement("button"), {
      className: "act",
      type: "button",
      textContent: "Remove",
    });
    gone.addEventListener("click", () => {
      form.hidePopover();
      change(note.url, { remove: 1 }, "sheets");
    });
    own.append(gone);
  }
  const keep = (event) => {
    event?.preventDefault();
    form.hidePopover();
    if (note) change(note.url, { text: field.value }, "sheets");
    else
      change(
        `${desk.dataset.desk}/graphs/${at.graph}/notes`,
        { x: at.x, y: at.y, side: at.side, text: field.value },
        "sheets",
      );
  };
  own.addEventListener("submit", keep);
  field.addEventListener("keydown", (event) => {
    if (event.key === "Enter" && !event.shiftKey) keep(event);
  });
  form.replaceChildren(own);
  asker = sheet.stackElement;
  form.showPopover();
  beside(form, note?.element);
  field.focus();
});

// A box of ticks stays open between them: the sheets come anew each time, and the box with them.
let ticked = null; // where the hand was
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  const field = detail.requestConfig.elt.closest?.(".stays-open") && document.activeElement;
  const box = field?.closest("[popover]");
  ticked = box ? { box: box.id, name: field.name, value: field.value, id: field.id } : null;
});
document.addEventListener("htmx:afterSettle", () => {
  const box = ticked && document.getElementById(ticked.box);
  if (!box || box.matches(":popover-open")) return;
  const { name, value, id } = ticked;
  ticked = null;
  box.showPopover();
  const fields = [...box.querySelectorAll("input, button")];
  const same = (field) => (id ? field.id === id : field.name === name && field.value === value);
  fields.find(same)?.focus();
});
