// The film of a run beside its replay on Record: both stand at the same moment, at every speed.
// Owns #replay-film; hears where the replay is and says nothing to it.
import { TiedFilms } from "./tied_films.js";

const box = document.getElementById("replay-film");
const line = box.querySelector("[data-shown=picture]");
const films = new TiedFilms(box, (element, film, k) => {
  line.textContent = `${element.dataset.name}: picture ${k + 1} of ${film.count}, ${film.seconds(k).toFixed(3)} s in the clip`;
  box.dataset.picture = String(k);
});

document.addEventListener("replay", (event) => {
  const { number, at, speed } = /** @type {CustomEvent} */ (event).detail;
  box.hidden = number === null || !films.has(number);
  if (box.hidden) return;
  if (!films.show(number, at, speed)) line.textContent = "The clip shows nothing of this time.";
});
