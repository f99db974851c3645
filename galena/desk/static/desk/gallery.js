// The gallery of models: what is pointed at, focused or typed is laid over the readings of its sheet.
// Owns nothing; the sheet draws. One request under way, the latest wish next.
import { contentOf, reach } from "../shell/js/answers.js";
import { sheetOf } from "./sheets.js";

const TYPING = 250; // milliseconds after the last key before a typed model is laid on
const drawer = document.getElementById("drawer");
const galleryIn = () => drawer.querySelector("[data-gallery]");
const laid = new Map(); // what was answered to a wish, as long as the gallery stands
let wished = null;
let waiting = null;
let asking = false;

function wish(fields) {
  clearTimeout(waiting);
  wished = fields && String(new URLSearchParams(fields));
  if (!asking) answer();
}

async function answer() {
  asking = true;
  let shown = undefined;
  while (shown !== wished && galleryIn()) {
    const [gallery, query] = [galleryIn(), wished];
    const curves = query === null ? null : await askedFor(gallery, query);
    if (query === wished) lay(gallery, curves);
    shown = query;
  }
  asking = false;
}

async function askedFor(gallery, query) {
  const runs = gallery.querySelector("[name=runs]").value;
  const of = gallery.querySelector("[name=of]").value;
  const url = `${gallery.dataset.gallery}?${query}&${new URLSearchParams({ runs, of })}`;
  if (!laid.has(url)) {
    const answered = await contentOf(await reach(url));
    if (!answered) return { trouble: "No answer came." };
    laid.set(url, answered);
  }
  return laid.get(url);
}

function lay(gallery, answered) {
  const status = gallery.querySelector("[data-shown=laid]");
  status.dataset.first ??= status.textContent;
  status.textContent = answered?.trouble || status.dataset.first;
  sheetOf(gallery.dataset.sheet)?.layOver(answered?.curves ?? []);
}

const modelAt = (event) => event.target.closest?.("#drawer [data-model]");
for (const name of ["pointerover", "focusin"])
  drawer.addEventListener(name, (event) => {
    const model = modelAt(event);
    if (model) wish({ kind: model.dataset.model });
  });
const isModel = (target) => Boolean(target?.closest?.("#drawer [data-model]"));
drawer.addEventListener("pointerout", (event) => {
  if (!modelAt(event) || isModel(event.relatedTarget)) return;
  const focused = document.activeElement;
  wish(isModel(focused) ? { kind: focused.closest("[data-model]").dataset.model } : null);
});
drawer.addEventListener("focusout", (event) => {
  if (modelAt(event) && !isModel(event.relatedTarget)) wish(null);
});
drawer.addEventListener("keydown", (event) => {
  if (event.key === "Escape") galleryIn()?.querySelector("[data-close-drawer]").click();
});
drawer.addEventListener("click", (event) => {
  if (event.target.closest("[data-close-drawer]") && galleryIn()) wish(null);
});
drawer.addEventListener("input", (event) => {
  if (!event.target.matches("[data-gallery] .formula")) return;
  clearTimeout(waiting);
  const formula = event.target.value.trim();
  waiting = setTimeout(() => wish(formula ? { formula } : null), TYPING);
});
// A gallery that has gone, or another one, leaves nothing lying on a sheet.
let before = null;
new MutationObserver(() => {
  if (before === galleryIn()) return;
  if (before) sheetOf(before.dataset.sheet)?.layOver([]);
  before = galleryIn();
  laid.clear();
  wished = null;
}).observe(drawer, { childList: true, subtree: false });
