// The legend of a sheet: which mark is which run, with its conditions. It lies where the data is
// not, until somebody moves it; its place is kept as a share of the stack's width and height.

import { COLOURS } from "../shell/js/colours.js";
import { filled, sharing } from "./fillings.js";
import { typeset } from "./typeset.js";

const STEP = 0.02;

export class Legend {
  constructor(element, { markOf, layout, moved }) {
    this.element = element;
    this.markOf = markOf;
    this.layout = layout;
    this.moved = moved;
    this.at = layout.legendAt ?? null;
    element.addEventListener("pointerdown", (event) => this.grab(event));
    element.addEventListener("pointermove", (event) => this.drag(event));
    element.addEventListener("pointerup", () => this.drop());
    element.addEventListener("keydown", (event) => this.key(event));
  }

  show(runs, stack, traces) {
    const state = JSON.stringify(runs);
    const several = sharing(this.layout);
    const wanted =
      this.layout.legend &&
      runs.length > 0 &&
      (runs.length > 1 || runs[0].label || several.length > 0);
    this.element.hidden = !wanted;
    if (!wanted) return;
    if (state !== this.state) {
      this.write(runs);
      this.element.append(...several.map((row, i) => quantityRow(row, i === 0)));
      this.state = state;
      this.free = null;
    }
    const { offsetWidth: width, offsetHeight: height } = this.element;
    const frame = stack.frame;
    this.free ??= this.at ? null : emptiest(stack, traces, width + 16, height + 12);
    const [x, y] = this.at ? [this.at[0] * stack.width, this.at[1] * stack.height] : this.free;
    this.element.style.left = `${Math.max(0, Math.min(x, frame.right - width))}px`;
    this.element.style.top = `${Math.max(0, Math.min(y, stack.height - height))}px`;
    this.stack = stack;
  }

  write(runs) {
    const most = 8;
    this.element.replaceChildren(
      ...runs.slice(0, most).map((run) => {
        const row = document.createElement("div");
        const label = document.createElement("bdi");
        label.textContent = [`run ${run.number}`, run.label].filter(Boolean).join(" · ");
        row.append(
          drawn(
            this.layout.plain
              ? { ...this.markOf(run.number), colour: "currentColor" }
              : this.markOf(run.number),
          ),
          label,
        );
        return row;
      }),
    );
    if (runs.length > most)
      this.element.append(
        Object.assign(document.createElement("div"), {
          textContent:
            runs.length === most + 1 ? "and one more run" : `and ${runs.length - most} more runs`,
        }),
      );
  }

  grab(event) {
    if (event.button) return;
    event.stopPropagation();
    this.element.setPointerCapture(event.pointerId);
    this.held = {
      x: event.clientX - this.element.offsetLeft,
      y: event.clientY - this.element.offsetTop,
    };
  }

  drag(event) {
    if (!this.held) return;
    event.stopPropagation();
    this.place(
      (event.clientX - this.held.x) / this.stack.width,
      (event.clientY - this.held.y) / this.stack.height,
    );
    this.held.moved = true;
  }

  drop() {
    if (this.held?.moved) this.moved(this.at);
    this.held = null;
  }

  place(x, y) {
    this.at = [Math.min(Math.max(x, 0), 1), Math.min(Math.max(y, 0), 1)];
    this.element.style.left = `${this.at[0] * this.stack.width}px`;
    this.element.style.top = `${this.at[1] * this.stack.height}px`;
  }

  key(event) {
    const by = {
      ArrowLeft: [-STEP, 0],
      ArrowRight: [STEP, 0],
      ArrowUp: [0, -STEP],
      ArrowDown: [0, STEP],
    }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    this.place(
      this.element.offsetLeft / this.stack.width + by[0],
      this.element.offsetTop / this.stack.height + by[1],
    );
    this.moved(this.at);
  }
}

// A quantity that shares its graph: a piece of its line with a mark of its filling.
function quantityRow({ symbol, place }, first) {
  const row = document.createElement("div");
  if (first) row.className = "quantities";
  const mark = filled({ path: "M-5 0a5 5 0 1 0 10 0a5 5 0 1 0-10 0", colour: COLOURS.soft }, place);
  const picture = drawn(mark);
  picture.setAttribute("viewBox", "-14 -7 28 14");
  picture.classList.add("piece");
  const line = document.createElementNS(SVG, "path");
  for (const [name, value] of Object.entries({
    "d": "M-14 0H14",
    "stroke": COLOURS.soft,
    "stroke-width": "1.5",
    "stroke-dasharray": mark.dash.join(" "),
  }))
    line.setAttribute(name, value);
  picture.prepend(line);
  row.append(picture, typeset(symbol));
  return row;
}

const SVG = "http://www.w3.org/2000/svg";

export function drawn(mark) {
  const picture = document.createElementNS(SVG, "svg");
  picture.setAttribute("viewBox", "-7 -7 14 14");
  picture.setAttribute("class", "run-mark");
  const path = document.createElementNS(SVG, "path");
  path.setAttribute("d", mark.path);
  path.setAttribute("fill", mark.colour);
  picture.append(path);
  if (mark.filling % 3 === 1) {
    const inside = /** @type {SVGPathElement} */ (path.cloneNode());
    inside.setAttribute("fill", COLOURS.surface);
    inside.setAttribute("transform", "scale(0.58)");
    picture.append(inside);
  } else if (mark.filling % 3 === 2) {
    const bar = document.createElementNS(SVG, "path");
    bar.setAttribute("d", "M0-7V7");
    bar.setAttribute("stroke", COLOURS.surface);
    bar.setAttribute("stroke-width", "2.4");
    picture.append(bar);
  }
  return picture;
}

// Of some places in the graphs, the one with the fewest readings under the legend.
function emptiest(stack, traces, width, height) {
  const places = [];
  for (const [id, { box }] of stack.scales) {
    if (box.bottom - box.top < height || box.right - box.left < width) continue;
    for (const y of [box.top + 4, box.bottom - height - 4, (box.top + box.bottom - height) / 2]) {
      for (const x of [box.right - width, box.left + 12, (box.left + box.right - width) / 2])
        places.push({ id, x, y, hits: 0 });
    }
  }
  if (!places.length) return [stack.frame.right - width, stack.frame.top + 4];
  for (const trace of traces) {
    const scale = stack.scales.get(trace.graph)?.[trace.side];
    if (!scale) continue;
    const every = Math.max(1, Math.floor(trace.x.length / 400));
    for (let i = 0; i < trace.x.length; i += every) {
      const [px, py] = [scale.x(trace.x[i]), scale.y((trace.y ?? trace.lows)[i])];
      for (const place of places) {
        if (
          place.id === trace.graph &&
          px > place.x - 8 &&
          px < place.x + width + 8 &&
          py > place.y - 8 &&
          py < place.y + height + 8
        )
          place.hits += 1;
      }
    }
  }
  const best = places.reduce((least, place) => (place.hits < least.hits ? place : least));
  return [best.x, best.y];
}
