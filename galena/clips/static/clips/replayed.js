// The film of a run beside its replay on Record: both stand at the same moment, at every speed.
// Owns #replay-film; hears where the replay is and says nothing to it.
import { TiedFilms } from "./tied_films.js";

const box = document.getElementById("replay-film");
const line = box.querySelector("[data-shown=picture]");
const films = new TiedFilms(box, (element, words, k) => {
  line.textContent = `${element.dataset.name}: ${words}`;
  box.dataset.picture = String(k);
});

document.addEventListener("replay", (event) => {
  const { number, at, speed } = /** @type {CustomEvent} */ (event).detail;
  box.hidden = number === null || !films.has(number);
  if (!box.hidden) films.show(number, at, speed);
});
