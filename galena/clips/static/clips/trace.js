// The trace of a run under the strip: where the picture lies in it once both are tied, and until then
// a moment of it that is chosen beside the picture. Owns #trace; gives nothing that anybody writes down.
const NS = "http://www.w3.org/2000/svg";
const [EDGE, TOP, HEIGHT] = [8, 16, 66]; // px

export class Trace {
  // chosen: told of a moment that is pointed at, in s of the run.
  constructor(svg, chosen) {
    this.svg = svg;
    this.chosen = chosen;
    this.run = null;
    this.which = 0;
    this.moment = null;
    svg.addEventListener("pointerdown", (event) => {
      svg.setPointerCapture(event.pointerId);
      this.held = true;
      this.point(event);
    });
    svg.addEventListener("pointermove", (event) => this.held && this.point(event));
    for (const name of ["pointerup", "pointercancel"])
      svg.addEventListener(name, () => (this.held = false));
    svg.addEventListener("keydown", (event) => this.key(event));
  }

  show(run) {
    if (run?.run !== this.run?.run) this.which = 0;
    this.run = run;
  }

  get trace() {
    return this.run?.traces[this.which % this.run.traces.length];
  }

  // From the run's time to pixels: along the clip once it is tied, along the run before.
  x(time) {
    const width = this.svg.clientWidth - 2 * EDGE;
    const { tie, from, until } = this.run;
    const share = tie
      ? (tie[0] + tie[1] * time) / Math.max(this.duration, 1e-9)
      : (time - from) / Math.max(until - from, 1e-9);
    return EDGE + width * share;
  }

  point(event) {
    if (!this.run || this.run.tie) return;
    const { left, width } = this.svg.getBoundingClientRect();
    const share = (event.clientX - left - EDGE) / Math.max(1, width - 2 * EDGE);
    const { from, until } = this.run;
    this.choose(from + Math.min(Math.max(share, 0), 1) * (until - from));
  }

  // The reading next to a time: moments are those of readings.
  choose(time) {
    const { t } = this.trace;
    this.moment = t.reduce((best, at) => (Math.abs(at - time) < Math.abs(best - time) ? at : best));
    this.chosen(this.moment);
  }

  key(event) {
    const step = { ArrowLeft: -1, ArrowRight: 1, PageUp: -10, PageDown: 10 }[event.key];
    if (!step || !this.trace || this.run.tie) return;
    const { t } = this.trace;
    const at = this.moment === null ? 0 : t.findIndex((time) => time >= this.moment);
    this.choose(t[Math.min(Math.max(at + step, 0), t.length - 1)]);
    event.preventDefault();
    event.stopPropagation();
  }

  // seconds: of the picture that is shown; duration: of the clip.
  draw(seconds, duration) {
    this.duration = duration;
    this.svg.replaceChildren();
    if (!this.trace) return;
    const { t, y, symbol, unit } = this.trace;
    const [lo, hi] = y.reduce(
      ([a, b], v) => [Math.min(a, v), Math.max(b, v)],
      [Infinity, -Infinity],
    );
    const place = (v) => HEIGHT - 6 - ((v - lo) / (hi - lo || 1)) * (HEIGHT - 6 - TOP);
    const points = t.map((at, i) => `${this.x(at).toFixed(1)},${place(y[i]).toFixed(1)}`);
    this.add("polyline", { points: points.join(" "), class: "line" });
    const { tie, run, moments } = this.run;
    if (!tie) for (const { time } of moments) this.upright(this.x(time), TOP, "moment");
    const at = tie ? (seconds - tie[0]) / tie[1] : this.moment;
    const end = this.svg.clientWidth - EDGE;
    const isLeft = at === null || this.x(at) > end / 2; // where the words of the moment are not
    this.word(isLeft ? EDGE : end, !isLeft, `run ${run}: ${symbol} / ${unit || "1"}`);
    if (at === null) return;
    this.svg.setAttribute("aria-valuetext", `${at.toFixed(4)} s`);
    const here = this.x(at);
    this.upright(here, 0, "here");
    this.word(here + (isLeft ? -5 : 5), isLeft, `${at.toFixed(3)} s in the run`);
  }

  upright(x, top, name) {
    this.add("line", { x1: x, x2: x, y1: top, y2: HEIGHT, class: name });
  }

  // Words that begin at a place, or end there.
  word(x, ends, text) {
    this.add("text", { x, "y": 11, "text-anchor": ends ? "end" : "start" }, text);
  }

  add(name, attributes, text = "") {
    const element = document.createElementNS(NS, name);
    for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, String(value));
    element.textContent = text;
    this.svg.append(element);
  }
}
