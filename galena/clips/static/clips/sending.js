// Sends a film piece by piece; what broke off goes on from where it was, also after the page was closed.
import { post, token } from "../shell/js/frame.js";

const zone = document.getElementById("drop");
const bar = /** @type {HTMLProgressElement} */ (document.getElementById("sent"));
const told = document.getElementById("told");
const AGAIN = 4; // times that a piece is tried

async function send(file) {
  const ticket = `${file.name}|${file.size}|${file.lastModified}`;
  const begun = await post(zone.dataset.new, { name: file.name, size: file.size, ticket })
    .then((answer) => answer.json())
    .catch(() => ({ trouble: "The server does not answer. Try again in a moment." }));
  if (begun.trouble) {
    told.textContent = begun.trouble;
    return;
  }
  bar.hidden = false;
  let { sent } = begun;
  let failed = 0;
  while (sent < file.size) {
    bar.value = sent / file.size;
    told.textContent = `${Math.floor((100 * sent) / file.size)} % sent`;
    const answered = await fetch(`${begun.piece}?at=${sent}`, {
      method: "POST",
      body: file.slice(sent, sent + begun.most),
      headers: { "X-CSRFToken": token(), "Content-Type": "application/octet-stream" },
    })
      .then((answer) => answer.json())
      .catch(() => null);
    if (answered?.trouble) {
      told.textContent = answered.trouble;
      return;
    }
    failed = answered && answered.sent > sent ? 0 : failed + 1;
    if (answered) sent = answered.sent;
    if (failed > AGAIN) {
      told.textContent = "Sending broke off. Choose the same film again: it goes on from there.";
      return;
    }
  }
  location.assign(begun.page);
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
