// The films in a box, each with the runs that it is tied to: shows the one that a run is seen in.
import { Film } from "./film.js";

const BESIDE = 0.5; // s before the first picture and after the last that still show them

export class TiedFilms {
  // box: holds .dock-film elements; shown: told of each picture with its element.
  constructor(box, shown) {
    this.films = [...box.querySelectorAll(".dock-film")].map((element) => {
      const { runs, ticks } = JSON.parse(element.querySelector("script").textContent);
      const videos = [element.querySelector("video"), document.createElement("video")];
      const film = new Film(videos, ticks, (k) => shown(element, film, k));
      return { element, runs, film };
    });
  }

  // Tell whether a run is seen in a film.
  has(number) {
    return this.films.some(({ runs }) => runs[number]);
  }

  // Show what was at a time of a run, going along at a speed; false where no film shows that time.
  show(number, time, speed = 0) {
    const tied = this.films.find(({ runs }) => runs[number]);
    for (const { element } of this.films) element.hidden = element !== tied?.element;
    if (!tied) return false;
    const [offset, rate] = tied.runs[number];
    const seconds = offset + rate * time;
    const end = tied.film.seconds(tied.film.count - 1);
    if (seconds < -BESIDE || seconds > end + BESIDE) {
      tied.film.stand(seconds < 0 ? 0 : end);
      return false;
    }
    const within = Math.min(Math.max(0, seconds), end);
    if (speed && within === seconds) tied.film.goAlong(seconds, speed * rate);
    else tied.film.stand(within);
    return true;
  }
}
