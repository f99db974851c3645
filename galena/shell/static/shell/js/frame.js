// What every page does: says in words when the server cannot be reached, places pop-ups under
// their button, and closes an open menu on Escape or a click elsewhere.
// Listens to: htmx's errors, clicks and keys on the document.
import { reach } from "./answers.js";

const banner = document.getElementById("banner");

export function say(message) {
  banner.textContent = message;
  banner.hidden = !message;
}

document.addEventListener("htmx:sendError", () =>
  say("The server does not answer. Is Galena still running? Nothing recorded is lost."),
);
document.addEventListener("htmx:responseError", (event) => {
  const { status, responseText } = event.detail.xhr;
  const type = event.detail.xhr.getResponseHeader("Content-Type") ?? "";
  if (status === 403 && type.startsWith("text/plain")) say(responseText);
  else if (status === 403) say("You are signed out. Load the page again and sign in.");
  else if (status === 404)
    say("This is not there any more, perhaps removed in another window. Load the page again.");
  else say("The server could not do this. Nothing recorded is lost. Load the page and try again.");
});
document.addEventListener("htmx:afterSwap", () => say(""));

document.addEventListener("click", (event) => {
  for (const menu of document.querySelectorAll("details.menu[open]")) {
    if (!menu.contains(event.target)) menu.open = false;
  }
});
document.addEventListener("keydown", (event) => {
  if (event.key !== "Escape") return;
  for (const menu of document.querySelectorAll("details.menu[open]")) {
    menu.open = false;
    menu.querySelector("summary").focus();
  }
});
document.addEventListener(
  "toggle",
  (event) => {
    if (!event.target.matches?.("[popover]") || event.newState !== "open") return;
    const button = document.querySelector(`[popovertarget="${event.target.id}"]`);
    if (button) placeBeside(event.target, button);
  },
  true,
);

// This window, so that it does not take its own changes for those of another one.
export const WINDOW = Math.random().toString(36).slice(2, 10);
document.addEventListener("htmx:configRequest", (event) => {
  event.detail.headers["X-Window"] = WINDOW;
});

// A click that closes a pop-up or a menu does nothing else.
let swallowed = false;
document.addEventListener(
  "pointerdown",
  (event) => {
    const open = [...document.querySelectorAll("[popover]:popover-open, details.menu[open]")];
    const invoker = event.target.closest("[popovertarget], summary, a[href]"); // a link leads away
    swallowed = open.length > 0 && !invoker && !open.some((panel) => panel.contains(event.target));
    if (!swallowed) return;
    event.preventDefault();
    event.stopPropagation();
    for (const panel of open) {
      if (panel.matches("details")) panel.open = false;
      else panel.hidePopover();
    }
  },
  true,
);
document.addEventListener(
  "click",
  (event) => {
    if (!swallowed || event.detail === 0) return; // a key is no click of this kind
    swallowed = false;
    event.preventDefault();
    event.stopImmediatePropagation();
  },
  true,
);

export const token = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

// Where the work of somebody else is looked at, nothing is changed; says so, or nothing.
export function looksIn() {
  return document.querySelector("[data-looks-in]")?.textContent.trim().replace(/\s+/g, " ") ?? "";
}
document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.requestConfig.verb === "get" || !looksIn()) return;
  event.preventDefault();
  say(looksIn());
});

// Post fields; gives the answer, or null where none came.
export function post(url, fields) {
  return reach(url, {
    method: "POST",
    body: new URLSearchParams(fields),
    headers: { "X-CSRFToken": token(), "HX-Request": "true", "X-Window": WINDOW },
  });
}

// The facts of a run: shown beside the button that asked for them, closed when they are gone.
const facts = document.getElementById("facts");
let asker = null;
document.addEventListener("htmx:beforeRequest", (event) => {
  if (facts && event.detail.target === facts && !facts.contains(event.detail.elt))
    asker = event.detail.elt;
});
document.addEventListener("htmx:afterSettle", (event) => {
  if (!facts || event.detail.target !== facts) return;
  if (facts.querySelector("[data-gone]")) {
    facts.hidePopover();
    return;
  }
  if (!facts.matches(":popover-open")) facts.showPopover();
  placeBeside(facts, asker);
});
facts?.addEventListener("click", (event) => {
  if (!event.target.closest("[data-close-facts]")) return;
  facts.hidePopover();
  asker?.focus();
});

function placeBeside(box, button) {
  const place = button?.isConnected ? button.getBoundingClientRect() : box.getBoundingClientRect();
  const lowest = innerHeight - box.offsetHeight - 8;
  box.style.top = `${Math.max(8, Math.min(place.bottom + 6, lowest))}px`;
  box.style.left = `${Math.max(8, Math.min(place.left, innerWidth - box.offsetWidth - 8))}px`;
}

// A hand may have been quicker than the wiring of a page: what it changed until then is told once
// all is wired. On the way back the browser only fills in again.
document.addEventListener(
  "htmx:load",
  () => {
    const [way] = performance.getEntriesByType("navigation");
    if (/** @type {PerformanceNavigationTiming} */ (way)?.type !== "navigate") return;
    for (const one of document.querySelectorAll(
      "select.guess, :is(select, input)[hx-trigger*=change]",
    )) {
      if (isChanged(one)) one.dispatchEvent(new Event("change", { bubbles: true }));
    }
  },
  { once: true },
);

function isChanged(one) {
  if (one instanceof HTMLSelectElement) {
    const first = [...one.options].find((option) => option.defaultSelected) ?? one.options[0];
    return one.value !== first?.value;
  }
  return one.checked !== one.defaultChecked;
}
