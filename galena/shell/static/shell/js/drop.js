// A file dropped where one is taken in: it is sent with a bar, then shown on its own page.
// A zone says with `data-takes-in` where it is announced, and with `data-experiment` what it is for.
import { sendInPieces } from "./pieces.js";

const SHOWN = 12_000; // ms that a refusal stays
const bar = document.createElement("div");
bar.className = "sending";
bar.hidden = true;
bar.setAttribute("role", "status");
const words = document.createElement("p");
const far = document.createElement("progress");
far.max = 1;
far.setAttribute("aria-label", "How much was sent");
bar.append(words, far);
document.body.append(bar);
let marked = null;

async function send(file, zone) {
  const about = zone.dataset.experiment ? { experiment: zone.dataset.experiment } : {};
  bar.hidden = false;
  const page = await sendInPieces(file, zone.dataset.takesIn, about, (said, part) => {
    words.textContent = `${file.name}: ${said}`;
    far.hidden = part === null;
    far.value = part ?? 0;
  });
  if (page) location.assign(page);
  else setTimeout(() => (bar.hidden = true), SHOWN);
}

function zoneOf(event) {
  if (!event.dataTransfer?.types.includes("Files")) return null;
  return event.target instanceof Element ? event.target.closest("[data-takes-in]") : null;
}

function mark(zone) {
  marked?.classList.remove("dropping");
  marked = zone;
  marked?.classList.add("dropping");
}

document.addEventListener("dragover", (event) => {
  const zone = zoneOf(event);
  if (zone) event.preventDefault();
  mark(zone);
});
document.addEventListener("dragleave", (event) => {
  if (!event.relatedTarget) mark(null);
});
document.addEventListener("drop", (event) => {
  const zone = zoneOf(event);
  mark(null);
  if (!zone) return;
  event.preventDefault();
  const [file] = event.dataTransfer.files;
  if (file) send(file, zone);
});
document.addEventListener("submit", (event) => {
  const form = /** @type {HTMLFormElement} */ (event.target);
  if (!form.dataset.takesIn) return;
  const input = /** @type {HTMLInputElement} */ (form.querySelector("input[type=file]"));
  const [file] = input.files;
  if (!file) return;
  event.preventDefault();
  send(file, form);
});
