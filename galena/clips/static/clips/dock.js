// The picture of a clip beside the graphs: it follows the cursor of a run that is tied to it.
// Owns the dock; hears the cursor of the Desk and says nothing to it.
import { TiedFilms } from "./tied_films.js";

const dock = document.getElementById("clip-dock");
const opener = document.querySelector("[data-open-dock]");
const KEPT = "clip dock closed";

const films = new TiedFilms(dock, (element, words, k) => {
  dock.querySelector("[data-shown=clip]").textContent = element.dataset.name;
  dock.querySelector("[data-shown=picture]").textContent = words;
  dock.dataset.picture = String(k);
});

function open(is) {
  dock.hidden = !is;
  opener.hidden = is;
  localStorage.setItem(KEPT, is ? "" : "yes");
}

// The time of the reading under the cursor tells the picture, where the sheet goes over time.
document.addEventListener("cursor", (event) => {
  const { sheet, cursor } = /** @type {CustomEvent} */ (event).detail;
  if (dock.hidden || !sheet.layout.time) return;
  const row = cursor.rows.find(({ y, number }) => y !== null && films.has(number));
  if (row) films.show(row.number, row.x);
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-close-dock]")) open(false);
  if (event.target.closest("[data-open-dock]")) open(true);
});
open(localStorage.getItem(KEPT) !== "yes");
