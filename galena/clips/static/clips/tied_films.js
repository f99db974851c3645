// The films in a box, each with the runs that it is tied to: shows the one that a run is seen in.
import { Film } from "./film.js";

const BESIDE = 0.5; // s before the first picture and after the last that still show them

export class TiedFilms {
  // box: holds .dock-film elements; shown: told of each picture in words, with its element.
  constructor(box, shown) {
    this.films = [...box.querySelectorAll(".dock-film")].map((element) => {
      const { runs, ticks } = JSON.parse(element.querySelector("script").textContent);
      const videos = [element.querySelector("video"), document.createElement("video")];
      const film = new Film(videos, ticks, (k) => shown(element, this.words(film, k), k));
      return { element, runs, film };
    });
    this.isBeyond = false; // the film shows nothing of the time that is asked for
  }

  words(film, k) {
    if (this.isBeyond) return "The clip shows nothing of this time.";
    return `picture ${k + 1} of ${film.count}, ${film.seconds(k).toFixed(3)} s in the clip`;
  }

  // Tell whether a run is seen in a film.
  has(number) {
    return this.films.some(({ runs }) => runs[number]);
  }

  // Show what was at a time of a run, going along at a speed; beyond its ends it stays there.
  show(number, time, speed = 0) {
    const tied = this.films.find(({ runs }) => runs[number]);
    for (const { element } of this.films) element.hidden = element !== tied?.element;
    if (!tied) return;
    const [offset, rate] = tied.runs[number];
    const seconds = offset + rate * time;
    const end = tied.film.seconds(tied.film.count - 1);
    const was = this.isBeyond;
    this.isBeyond = seconds < -BESIDE || seconds > end + BESIDE;
    const within = Math.min(Math.max(0, seconds), end);
    if (speed && within === seconds) tied.film.goAlong(seconds, speed * rate);
    else tied.film.stand(within);
    if (was !== this.isBeyond) tied.film.shown(tied.film.at);
  }
}
