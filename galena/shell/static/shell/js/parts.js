// Parts of a page that are fetched anew. htmx sends one request an element at a time and of those
// that wait only the last: if all came from the body, one part's would put away what another part
// waits for. So each part has an asker of its own, whose last wish is always answered.
// Owns the hidden askers at the end of the body.

const askers = new Map(); // selector of a part → its asker
let changes = 0; // that were answered since the page came

export function renewPart(url, target, swap = "outerHTML") {
  const asker = askerOf(target);
  Object.assign(asker.dataset, { url, swap });
  // that no answer came is said by the page's frame
  return htmx.ajax("GET", url, { source: asker, target, swap }).catch(() => {});
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
  if (asks && successful && asOf !== String(changes)) renewPart(url, asks, swap);
});
