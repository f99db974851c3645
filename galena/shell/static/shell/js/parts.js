// Parts of a page that are fetched anew. htmx sends one request an element at a time and of those
// that wait only the last: if all came from the body, one part's would put away what another part
// waits for. So each part has an asker of its own, whose last wish is always answered.
// Owns the hidden askers at the end of the body, and what of acts is under way.

const askers = new Map(); // selector of a part → its asker
const acts = new Set(); // changes that are not answered yet: what was pressed, what the answer renews
const held = new Set(); // askers whose answer was not shown, for an act on its part is under way
let changes = 0; // that were answered since the page came

/** Have a part come anew; tells whether its answer came. That none came is said by the page's frame. */
export async function renewPart(url, target, swap = "outerHTML") {
  const asker = askerOf(target);
  Object.assign(asker.dataset, { url, swap, came: "" });
  await htmx.ajax("GET", url, { source: asker, target, swap }).catch(() => {});
  return asker.dataset.came === "yes";
}

// Something was changed by this page: what was asked for before that may tell what was before.
export function tellChanged() {
  changes += 1;
}

function askerOf(target) {
  if (!askers.has(target)) {
    const asker = document.createElement("span");
    asker.hidden = true;
    asker.dataset.asks = target;
    document.body.append(asker);
    askers.set(target, asker);
  }
  return askers.get(target);
}

document.addEventListener("htmx:beforeRequest", (event) => {
  const { elt } = event.detail;
  if (elt.dataset.asks) elt.dataset.asOf = String(changes);
});

// An answer that a change has overtaken is shown, for newer ones may be overtaken as well, and is
// asked for once more.
document.addEventListener("htmx:afterRequest", (event) => {
  const { elt, requestConfig, successful } = event.detail;
  if (requestConfig.verb !== "get") tellChanged();
  const { asks, asOf, url, swap } = elt.dataset;
  if (!asks || !successful) return;
  elt.dataset.came = "yes";
  if (asOf !== String(changes)) renewPart(url, asks, swap);
});

// Where a part came anew under an act, the answer to it would find no place: its words, and what was
// typed with it, would be lost. So the part waits, and is asked for again when the act is answered.
document.addEventListener("htmx:beforeSend", ({ detail: { elt, target, requestConfig, xhr } }) => {
  if (requestConfig.verb === "get") return;
  const act = { elt, target };
  acts.add(act);
  xhr.addEventListener("loadend", () => {
    acts.delete(act);
    const waiting = [...held];
    held.clear();
    for (const { dataset } of waiting) renewPart(dataset.url, dataset.asks, dataset.swap);
  });
});
document.addEventListener("htmx:beforeSwap", (event) => {
  const { target, requestConfig } = event.detail;
  if (!requestConfig?.elt.dataset?.asks) return;
  if (![...acts].some((act) => target.contains(act.elt) || target.contains(act.target))) return;
  event.detail.shouldSwap = false;
  held.add(requestConfig.elt);
});
