// The Desk: keeps the sheets in sight, the ledger, undo and the readings drawer together.
// Owns which sheet is active: its ledger is shown, and keys go to it.
import { listen } from "../shell/js/live.js";
import { WINDOW } from "../shell/js/frame.js";
import { answered, takeTurns } from "../shell/js/in_turn.js";
import { Hand } from "./hand.js";
import "./axis_form.js";
import "./copying.js";
import "./gallery.js";
import "./picture.js";
import { showDrawer } from "./drawer.js";
import {
  all,
  front,
  ledger,
  reloadSheets,
  renew as renewSheets,
  renewLedger,
  sheetOf,
} from "./sheets.js";

const desk = document.getElementById("desk");
const form = document.getElementById("axis-form");
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

const renew = () => renewSheets(reopen);
new MutationObserver(renew).observe(desk, { childList: true });

document.body.addEventListener("runs-changed", () => {
  for (const sheet of all()) {
    sheet.fetch();
    sheet.reader.readAnew();
  }
  const active = front();
  if (active) renewLedger(active);
});

// A run that is being recorded grows here too: what is new is fetched a few times a second.
// What another window has changed is shown here too, as soon as nobody is in the middle of it.
let pending = null;
const inTheMiddle = () =>
  all().some((sheet) => sheet.isHeld) ||
  document.querySelector("[popover]:popover-open") ||
  ledger().matches(".panel") ||
  document.activeElement?.closest("#ledger input, #ledger textarea, #drawer input");
let stale = null; // the sheet whose ledger alone is to come anew, or "all"
function later(what) {
  stale = stale === null || stale === what ? what : "all";
  clearTimeout(pending);
  const wait = stale === "all" ? 250 : 100; // ms in which more may come; a ledger is little
  pending = setTimeout(() => (inTheMiddle() ? later(stale) : renewStale()), wait);
}
function renewStale() {
  const active = front();
  const ledgerOnly = active && active.id === stale;
  stale = null;
  if (!ledgerOnly) {
    reloadSheets();
    return;
  }
  renewLedger(active);
  fetchAll(); // readings may rest on what its findings say
}

// A hand may have begun something since the sheets were asked for: they do not come under it.
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  const renewed = detail.target?.id === "sheets" && detail.requestConfig.elt.dataset.asks;
  if (!renewed || !all().some((sheet) => sheet.isHeld)) return;
  detail.shouldSwap = false;
  later("all");
});

let growing = null;
const fetchAll = () => {
  for (const sheet of all()) sheet.fetch();
};
listen(desk.dataset.events, {
  "run": () => document.body.dispatchEvent(new Event("rail-changed")),
  "desk": ({ window: from, ledger: ofSheet }) => {
    if (from !== WINDOW) later(ofSheet ?? "all");
  },
  "run-readings": () => {
    growing ??= setTimeout(() => {
      growing = null;
      fetchAll();
    }, 250);
  },
  "gap": fetchAll,
  // A run may have ended between the page and the first event.
  "hello": () => {
    if (!document.querySelector("#rail [data-growing]")) return;
    document.body.dispatchEvent(new Event("rail-changed"));
    fetchAll();
  },
});

document.addEventListener("click", (event) => {
  const act = event.target.closest("[data-act]")?.dataset.act;
  const active = front();
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
    const sheet = sheetOf(id);
    const typed = ["lo", "hi"]
      .map((name) => own.elements[name])
      .filter((field) => field.value !== field.defaultValue);
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

// A model is moved by hand: its curve and residuals come from the server while the hand moves.
const hand = new Hand(sheetOf);
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
    showDrawer(true);
});
document.body.addEventListener("harvested", () => reloadSheets());

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
  if (!act) return;
  event.preventDefault();
  keepViews();
  answered().then(() => document.querySelector(`[data-act="${act}"]:not(:disabled)`)?.click());
});

// What a hand has moved just now is kept before it is undone.
function keepViews() {
  for (const { view } of all()) if (view.waiting) view.keep();
}
document.addEventListener(
  "htmx:confirm",
  ({ detail: { elt } }) => {
    if (!elt.matches("[data-act=undo], [data-act=redo]")) return;
    keepViews();
  },
  true,
);
takeTurns();

renew();
document.fonts.ready.then(() => {
  for (const sheet of all()) sheet.repaint();
});
