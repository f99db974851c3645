// The run that a clip is tied to, or is being tied to: its trace under the strip, and its moments in
// the card. Owns what of the card is filled in here; asks the server for each run once.
import { contentAt } from "../shell/js/answers.js";
import { asRead, typedNumber } from "../shell/js/decimal_sign.js";
import { Trace } from "./trace.js";

function momentIn(field) {
  const typed = typedNumber(field);
  return Number.isFinite(typed) ? typed : null;
}

export class TiedRun {
  constructor(svg, draw) {
    this.svg = svg;
    this.redraw = draw;
    this.trace = new Trace(svg, (time) => this.chosen(time));
    document.addEventListener("change", ({ target }) => this.changed(target));
    document.addEventListener("click", ({ target }) => {
      const time = target.closest?.("[data-moment]")?.dataset.moment;
      if (time) this.pick(Number(time));
    });
    document.addEventListener("input", ({ target }) => {
      if (target.name !== "run_time" || !this.form?.contains(target)) return;
      this.trace.moment = momentIn(target);
      this.redraw();
    });
  }

  get card() {
    return document.querySelector("#panel [data-card=tie]");
  }

  get form() {
    return document.getElementById("tie-form");
  }

  get field() {
    return this.form.querySelector("[name=run_time]");
  }

  // The panel came anew, or another card is used: while tying the run of the card, else the tied one.
  async renewed(tying) {
    if (!this.card) return;
    const [tied] = this.card.dataset.tied.trim().split(" ");
    const number = tying ? this.form.querySelector("[name=run]").value : tied;
    const turn = (this.turn = (this.turn ?? 0) + 1);
    if (!number) {
      this.trace.show(null);
      this.svg.setAttribute("hidden", "");
      return;
    }
    const address = this.form.dataset.trace.replace(/0$/, number);
    const run = await contentAt(address);
    if (!run || turn !== this.turn) return;
    // While a second moment is chosen, the run is shown by its own time.
    this.trace.show(tying ? { ...run, tie: null } : run);
    this.svg.removeAttribute("hidden");
    this.fill(run);
    this.redraw();
  }

  fill({ moments, traces }) {
    const place = this.form.querySelector("[data-moments]");
    place.replaceChildren(
      ...moments.map(({ name, time, text }) => {
        const button = Object.assign(document.createElement("button"), {
          type: "button",
          className: "quiet small",
          textContent: `${name}: ${text} s`,
        });
        button.dataset.moment = String(time);
        return button;
      }),
    );
    const which = this.form.querySelector("[data-which]");
    which.replaceChildren(...traces.map(({ symbol }, i) => new Option(symbol, String(i))));
    which.value = String(this.trace.which);
    which.closest("label").hidden = traces.length < 2;
    this.trace.moment = momentIn(this.field);
  }

  changed(target) {
    if (!this.form?.contains(target)) return;
    if (target.matches("[name=run]")) {
      this.field.value = "";
      this.renewed(true);
    } else if (target.matches("[data-which]")) {
      this.trace.which = Number(target.value);
      this.redraw();
    }
  }

  pick(time) {
    this.trace.moment = time;
    this.chosen(time);
  }

  chosen(time) {
    this.field.value = asRead(time.toFixed(4));
    this.redraw();
  }

  draw(seconds, duration) {
    this.trace.draw(seconds, duration);
  }
}
