// The Desk: keeps the sheets in sight, the ledger, undo and the readings drawer together.
// Owns which sheet is active: its ledger is shown, and keys go to it.
import { listen } from "../shell/js/live.js";
import { post, say, WINDOW } from "../shell/js/frame.js";
import { loadMarks } from "../shell/js/painter.js";
import { Hand } from "./hand.js";
import { Sheet } from "./sheet.js";
import { Table } from "./table.js";

const desk = document.getElementById("desk");
const markOf = loadMarks();
const form = document.getElementById("axis-form");
const ledger = () => document.getElementById("ledger");
let sheets = [];
let active = null;

// A change is posted; the answer is the ledger or the sheets anew.
async function change(url, fields, what) {
  const answer = await post(url, fields).catch(() => null);
  if (!answer?.ok) {
    say("The server did not take this change. Load the page again and repeat it.");
    return;
  }
  htmx.swap(what === "sheets" ? "#sheets" : "#ledger", await answer.text(), {
    swapStyle: "outerHTML",
  });
}

function activate(sheet) {
  if (active === sheet) return;
  active = sheet;
  for (const one of sheets) one.section.dataset.active = one === sheet;
  if (Number(ledger().dataset.sheet) !== sheet.id)
    htmx.ajax("GET", sheet.section.dataset.ledger, { target: "#ledger", swap: "outerHTML" });
}

// What is open in the ledger stays open when it comes anew, and the focus goes back to where the
// work was: to what was asked about before a panel took the ledger's place.
const opened = new Set();
const nameOf = (details) =>
  `${details.closest(".card-box")?.getAttribute("aria-label")} ${details.querySelector("summary").textContent}`;
document.addEventListener(
  "toggle",
  (event) => {
    if (!event.target.matches?.("#ledger details.stays")) return;
    if (event.target.open) opened.add(nameOf(event.target));
    else opened.delete(nameOf(event.target));
  },
  true,
);
let backTo = null;
let focused = null; // the name of what had the focus in the ledger: it may come anew, first folded away
document.addEventListener("focusin", (event) => {
  focused = event.target.closest("#ledger") ? event.target.id : null;
});
document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.target?.id === "ledger") backTo = event.detail.elt.dataset.backTo ?? null;
});
function reopen() {
  for (const details of ledger().querySelectorAll("details.stays"))
    if (opened.has(nameOf(details))) details.open = true;
  if (backTo) {
    document.getElementById(backTo)?.focus();
    backTo = null;
  } else if (document.activeElement === document.body && document.getElementById(focused))
    document.getElementById(focused).focus();
  else if (document.activeElement === document.body && ledger().matches(".panel"))
    ledger().focus({ preventScroll: true });
}

let held = null; // the <section> that the sheets belong to
function renew() {
  const section = document.getElementById("sheets");
  if (!section || !ledger()) return; // one of them is on its way
  if (section !== held) {
    held = section;
    const [before, focused] = [new Map(sheets.map((one) => [one.id, one])), active?.id];
    for (const one of sheets) one.close();
    sheets = [...section.querySelectorAll(".sheet")].map(
      (one) => new Sheet(one, { markOf, change, active: activate }),
    );
    active = null;
    const front = sheets.find(({ id }) => id === focused) ?? sheets[0];
    for (const one of sheets) {
      const old = before.get(one.id);
      if (old) one.shown.takeFrom(old.shown);
      one.fetch();
      if (old?.cursor) one.point(old.cursor.x);
    }
    if (front) {
      active = front;
      for (const one of sheets) one.section.dataset.active = one === front;
    }
  }
  reopen();
  const { sheet } = ledger().dataset;
  sheets
    .find(({ id }) => id === Number(sheet))
    ?.show(JSON.parse(document.getElementById("overlay").textContent));
}
new MutationObserver(renew).observe(desk, { childList: true });

document.body.addEventListener("runs-changed", () => {
  for (const one of sheets) {
    one.fetch();
    if (one.cursor) one.point(one.cursor.x);
  }
  if (active)
    htmx.ajax("GET", active.section.dataset.ledger, { target: "#ledger", swap: "outerHTML" });
});

// A run that is being recorded grows here too: what is new is fetched a few times a second.
// What another window has changed is shown here too, as soon as nobody is in the middle of it.
let pending = null;
const inTheMiddle = () =>
  sheets.some((one) => one.isHeld) ||
  document.querySelector("[popover]:popover-open") ||
  ledger().matches(".panel") ||
  document.activeElement?.closest("#ledger input, #ledger textarea, #drawer input");
function later() {
  clearTimeout(pending);
  pending = setTimeout(() => (inTheMiddle() ? later() : reloadSheets()), 250);
}

let growing = null;
const fetchAll = () => {
  for (const one of sheets) one.fetch();
};
listen(desk.dataset.events, {
  "run": () => document.body.dispatchEvent(new Event("rail-changed")),
  "desk": ({ window: from }) => {
    if (from !== WINDOW) later();
  },
  "run-readings": () => {
    growing ??= setTimeout(() => {
      growing = null;
      fetchAll();
    }, 250);
  },
  "gap": fetchAll,
});

document.addEventListener("click", (event) => {
  const act = event.target.closest("[data-act]")?.dataset.act;
  if ((act === "all" || act === "zero") && active)
    active.view.all(active.shown.whole, act === "zero");
  if (act === "note" && active) {
    document.getElementById("sheet-tools").hidePopover();
    active.write();
  }
  const whole = event.target.closest("[data-whole-axis]")?.dataset.wholeAxis;
  if (whole) {
    const own = form.querySelector("form");
    const { sheet: id, axis, graph } = own.dataset;
    const sheet = sheets.find((one) => one.id === Number(id));
    const typed = ["lo", "hi"]
      .map((name) => own.elements[name])
      .filter((one) => one.value !== one.defaultValue);
    if (whole === "zero" && typed.length) {
      // what is typed wins: only the other end is at zero
      if (typed.length === 1 && typed[0].name === "hi") own.elements.lo.value = "0";
      own.requestSubmit();
      return;
    }
    sheet?.view.allOf({ axis, graph: Number(graph) }, sheet.shown.whole, whole === "zero");
    form.hidePopover();
  }
});

// The form of an axis opens beside its label and has the keys; Escape gives them back.
let asker = null;
document.addEventListener("htmx:beforeRequest", (event) => {
  const { sheet: id, axis, graph } = event.detail.elt.dataset;
  if (axis && event.detail.elt.matches("form"))
    sheets.find((one) => one.id === Number(id))?.view.yieldTo({ axis, graph: Number(graph) });
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

// A model is moved by hand: its curve and residuals come from the server while the hand moves.
const hand = new Hand((id) => sheets.find((one) => one.id === id));
document.addEventListener("input", (event) => hand.moved(event));

// What stands in a list is put into the line of a formula.
document.addEventListener("click", (event) => {
  const text = event.target.closest("[data-inserts]")?.dataset.inserts;
  const line = text && event.target.closest("details").querySelector(".formula");
  if (!line) return;
  line.setRangeText(text, line.selectionStart, line.selectionEnd, "end");
  line.focus();
});
document.addEventListener("htmx:afterSwap", (event) => {
  if (
    event.detail.target?.id === "drawer" &&
    event.detail.requestConfig.elt.closest("[data-opens-drawer]")
  )
    show(true);
});
document.body.addEventListener("harvested", () => reloadSheets());

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
    textContent: "Keep the note",
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

document.addEventListener("keydown", (event) => {
  if (
    !(event.ctrlKey || event.metaKey) ||
    event.target.closest("input, textarea, select, [contenteditable]")
  )
    return;
  const act =
    event.code === "KeyZ"
      ? event.shiftKey
        ? "redo"
        : "undo"
      : event.code === "KeyY"
        ? "redo"
        : "";
  const button = act && document.querySelector(`[data-act="${act}"]:not(:disabled)`);
  if (!button) return;
  event.preventDefault();
  button.click();
});

// The readings drawer: a table of one run at a time.
const drawer = document.getElementById("drawer");
let table = null;
let settling = null;
function show(open) {
  drawer.hidden = !open;
  for (const one of document.querySelectorAll(".to-readings"))
    one.setAttribute("aria-expanded", String(open));
}
const reloadSheets = () =>
  htmx.ajax("GET", desk.dataset.sheets, { target: "#sheets", swap: "outerHTML" });
function tableChanged() {
  // what was typed is seen in the graphs a moment later
  clearTimeout(settling);
  settling = setTimeout(() => {
    if (!active?.shown.traces.length) reloadSheets();
    else document.body.dispatchEvent(new Event("runs-changed"));
  }, 120);
}
function renewTable() {
  table?.close();
  table = new Table(drawer, {
    changed: tableChanged,
    reload: (html, focus) => {
      if (html) htmx.swap("#drawer", html, { swapStyle: "innerHTML" });
      if (focus === "last head") [...drawer.querySelectorAll(".head")].at(-1)?.select();
      reloadSheets();
    },
    read: async (run, row) => {
      const found = active && (await active.ask({ run, row }));
      if (found) {
        active.cursor = found;
        active.showCursor(true);
      }
    },
  });
}
new MutationObserver(() => {
  if (drawer.firstElementChild) renewTable();
}).observe(drawer, { childList: true });
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-close-drawer]")) {
    show(false);
    document.querySelector(".to-readings")?.focus();
  }
  if (!event.target.closest(".to-readings")) return;
  show(drawer.hidden);
  const first =
    active?.shown.runs[0]?.number ?? document.querySelector("#rail .chip b")?.textContent;
  if (drawer.hidden) return;
  if (first)
    htmx.ajax("GET", `${desk.dataset.desk}/readings/${first}`, {
      target: "#drawer",
      swap: "innerHTML",
    });
  else drawer.innerHTML = '<div class="drawer-head"><span>No run has readings yet.</span></div>';
});
document.body.addEventListener("table-begun", () => {
  reloadSheets();
  drawer.querySelector(".head")?.select();
});
document.body.addEventListener("table-changed", () => {
  table?.forget?.();
});
document.addEventListener("cursor", ({ detail: { cursor } }) => {
  const row =
    table?.box && !drawer.hidden && cursor.rows.find(({ number }) => number === table.run)?.row;
  if (Number.isInteger(row)) table.at(row);
});
if (new URLSearchParams(location.search).has("type")) {
  show(true);
  htmx
    .ajax("POST", `${desk.dataset.desk}/table`, { target: "#drawer", swap: "innerHTML" })
    .then(() => history.replaceState(null, "", location.pathname));
}

renew();
document.fonts.ready.then(() => {
  for (const one of sheets) one.repaint();
});
