// The strip under the picture: where in the film one is, which pictures are measured and marked.
// Dragging over it steps; dragging an end changes which pictures are measured.
const NS = "http://www.w3.org/2000/svg";
const MOST = 260; // strokes; of more pictures not each has one

export class Strip {
  constructor(svg, count, { show, range }) {
    this.svg = svg;
    this.count = count;
    this.show = show;
    this.range = range;
    svg.addEventListener("pointerdown", (event) => this.down(event));
    svg.addEventListener("pointermove", (event) => this.move(event));
    svg.addEventListener("pointerup", () => this.up());
    svg.addEventListener("pointercancel", () => this.up());
  }

  x(k) {
    return 8 + ((this.svg.clientWidth - 16) * k) / Math.max(1, this.count - 1);
  }

  at(event) {
    const { left, width } = this.svg.getBoundingClientRect();
    const share = (event.clientX - left - 8) / Math.max(1, width - 16);
    return Math.min(Math.max(Math.round(share * (this.count - 1)), 0), this.count - 1);
  }

  down(event) {
    this.svg.setPointerCapture(event.pointerId);
    const { left } = this.svg.getBoundingClientRect();
    const off = (end) => Math.abs(event.clientX - left - this.x(this.drawn[end]));
    const near = ["start", "stop"].find((end) => off(end) < 7);
    this.held = near ?? "picture";
    this.move(event);
  }

  move(event) {
    if (!this.held) return;
    const k = this.at(event);
    if (this.held === "picture") {
      this.show(k);
      return;
    }
    const { start, stop } = this.drawn;
    this.drawn[this.held] = this.held === "start" ? Math.min(k, stop) : Math.max(k, start);
    this.draw(this.drawn, this.picture);
  }

  up() {
    if (this.held && this.held !== "picture") this.range(this.drawn.start, this.drawn.stop);
    this.held = null;
  }

  draw(drawn, picture) {
    this.drawn = drawn;
    this.picture = picture;
    const { svg, count } = this;
    svg.replaceChildren();
    svg.setAttribute("aria-valuenow", String(picture + 1));
    const add = (name, attributes) => {
      const element = document.createElementNS(NS, name);
      for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
      svg.append(element);
    };
    const [from, to] = [this.x(drawn.start), this.x(drawn.stop)];
    add("rect", { x: from, y: 4, width: Math.max(1, to - from), height: 44, class: "measured" });
    const every = Math.ceil(count / MOST);
    for (let k = 0; k < count; k += every)
      add("line", {
        x1: this.x(k),
        x2: this.x(k),
        y1: 8,
        y2: k % (10 * every) ? 18 : 24,
        class: "picture",
      });
    for (const { marks } of drawn.objects)
      for (const [k] of marks) add("circle", { cx: this.x(k), cy: 33, r: 2.6, class: "marked" });
    for (const end of [from, to])
      add("rect", { x: end - 3, y: 2, width: 6, height: 48, rx: 2, class: "end" });
    const here = this.x(picture);
    add("line", { x1: here, x2: here, y1: 0, y2: 52, class: "here" });
  }
}
