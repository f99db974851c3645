// The picture of a clip beside the graphs: it follows the cursor of a run that is tied to it.
// Owns the dock; hears the cursor of the Desk and says nothing to it.
import { Film } from "./film.js";

const dock = document.getElementById("clip-dock");
const opener = document.querySelector("[data-open-dock]");
const KEPT = "clip dock closed";

const films = [...dock.querySelectorAll(".dock-film")].map((box) => {
  const { runs, ticks } = JSON.parse(box.querySelector("script").textContent);
  const video = box.querySelector("video");
  const film = new Film([video, document.createElement("video")], ticks, (k) => told(box, film, k));
  return { box, runs, film, video };
});

function told(box, film, k) {
  dock.querySelector("[data-shown=clip]").textContent = box.dataset.name;
  dock.querySelector("[data-shown=picture]").textContent =
    `picture ${k + 1} of ${film.count}, ${film.seconds(k).toFixed(3)} s in the clip`;
  dock.dataset.picture = String(k);
}

function open(is) {
  dock.hidden = !is;
  opener.hidden = is;
  localStorage.setItem(KEPT, is ? "" : "yes");
}

// The time of the reading under the cursor tells the picture, where the sheet goes over time.
document.addEventListener("cursor", (event) => {
  const { sheet, cursor } = /** @type {CustomEvent} */ (event).detail;
  if (dock.hidden || !sheet.layout.time) return;
  for (const row of cursor.rows) {
    const one = row.y !== null && films.find(({ runs }) => runs[row.number]);
    if (!one) continue;
    const [offset, rate] = one.runs[row.number];
    for (const { box } of films) box.hidden = box !== one.box;
    const seconds = offset + rate * row.x;
    if (seconds < -0.5 || seconds > one.film.seconds(one.film.count - 1) + 0.5) {
      dock.querySelector("[data-shown=picture]").textContent =
        "The clip shows nothing of this time.";
      return;
    }
    one.film.show(one.film.near(Math.max(0, seconds)));
    return;
  }
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-close-dock]")) open(false);
  if (event.target.closest("[data-open-dock]")) open(true);
});
open(localStorage.getItem(KEPT) !== "yes");
