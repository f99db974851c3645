// Sends a film piece by piece; what broke off goes on from where it was, also after the page was closed.
import { sendInPieces } from "../shell/js/pieces.js";

const zone = document.getElementById("drop");
const bar = /** @type {HTMLProgressElement} */ (document.getElementById("sent"));
const told = document.getElementById("told");

async function send(file) {
  const ticket = `${file.name}|${file.size}|${file.lastModified}`;
  const page = await sendInPieces(file, zone.dataset.new, { ticket }, (words, part) => {
    told.textContent = words;
    if (part !== null) {
      bar.hidden = false;
      bar.value = part;
    }
  });
  if (page) location.assign(page);
}

const input = /** @type {HTMLInputElement} */ (document.getElementById("film"));
function chosen() {
  const [file] = input.files;
  if (file) send(file);
}
input.addEventListener("change", chosen);
// A hand may have been quicker than this script; on the way back the browser only fills in again.
const [arrival] = performance.getEntriesByType("navigation");
if (/** @type {PerformanceNavigationTiming} */ (arrival)?.type === "navigate") chosen();
zone.addEventListener("dragover", (event) => event.preventDefault());
zone.addEventListener("drop", (event) => {
  event.preventDefault();
  if (event.dataTransfer.files[0]) send(event.dataTransfer.files[0]);
});
