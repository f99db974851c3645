// The ruler above the stack: spans as brackets, markers as pins, both running through all graphs.
// Owns the SVG over the canvas. Calls `moved(kind, id, fields)` when one was dragged or stepped,
// `removed(kind, id)` on Delete, `dragged(id, lo, hi)` while a span is under the hand, and `stepped(x, by)` to learn the reading next to a place.

import { COLOURS } from "../shell/js/colours.js";
import { ROW, rowsOf } from "./ruler_rows.js";

const SVG = "http://www.w3.org/2000/svg";
const BRASS = COLOURS.brass;
const LEAD = COLOURS.lead;

function make(name, attributes, ...children) {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  element.append(...children);
  return element;
}

// The name of a span beside its letter, on a ground of its own, so that no bracket runs through it.
function named(span, x, y) {
  if (!span.name) return [];
  const text = span.name.length > 24 ? `${span.name.slice(0, 23)}…` : span.name;
  const ground = { x, y: y - 8, width: 7 * text.length + 8, height: 16, fill: COLOURS.ruler };
  const words = make("text", { class: "given", x: x + 4, y: y + 5, fill: COLOURS.ink });
  words.textContent = text;
  return [make("rect", ground), words];
}

export class Ruler {
  constructor(svg, { moved, removed, stepped, dragged }) {
    this.svg = svg;
    this.moved = moved;
    this.removed = removed;
    this.stepped = stepped;
    this.dragged = dragged;
    this.overlay = { spans: [], markers: [] };
    this.rows = rowsOf([]);
    this.scale = null; // these three are told when the sheet was painted
    this.frame = null;
    this.top = 0;
    /** @type {any} */
    this.held = null; // what a hand drags
    this.draft = null; // a span that is being drawn
    svg.addEventListener("pointerdown", (event) => this.grab(event));
    svg.addEventListener("pointermove", (event) => this.drag(event));
    svg.addEventListener("pointerup", (event) => this.drop(event));
    svg.addEventListener("pointercancel", () => {
      this.held = null;
      this.draw();
    });
    svg.addEventListener("keydown", (event) => this.key(event));
  }

  show(overlay) {
    this.overlay = overlay;
    this.rows = rowsOf(overlay.spans); // they stay as they are while a hand drags
    if (this.scale) this.draw();
  }

  place(scale, frame, top) {
    [this.scale, this.frame, this.top] = [scale, frame, top];
    this.draw();
  }

  draw() {
    const focused = document.activeElement?.dataset?.key;
    this.svg.replaceChildren();
    if (this.draft) this.svg.append(this.shade(this.draft[0], this.draft[1], BRASS, 0.12));
    for (const span of this.overlay.spans) this.svg.append(...this.bracket(span));
    for (const marker of this.overlay.markers) this.svg.append(this.pin(marker));
    if (focused) this.svg.querySelector(`[data-key="${focused}"]`)?.focus();
  }

  clamped(x) {
    return Math.min(Math.max(this.scale.x(x), this.frame.left), this.frame.right);
  }

  shade(lo, hi, fill, opacity) {
    const [left, right] = [this.clamped(Math.min(lo, hi)), this.clamped(Math.max(lo, hi))];
    const { top, bottom } = this.frame;
    return make("rect", {
      "x": left,
      "y": top,
      "width": right - left,
      "height": bottom - top,
      fill,
      "fill-opacity": opacity,
    });
  }

  bracket(span) {
    const box = this.frame;
    if (this.scale.x(span.hi) < box.left || this.scale.x(span.lo) > box.right) return [];
    const [left, right] = [this.clamped(span.lo), this.clamped(span.hi)];
    const top = this.top + ROW * (this.rows.rows.get(span.id) ?? 0);
    const y = top + 6;
    const middle = (left + right) / 2;
    const about = { "data-kind": "spans", "data-id": span.id };
    const frame = make("path", {
      "class": "frame",
      "d": `M${left} ${top + 26}V${y}H${right}V${top + 26}`,
      "fill": "none",
      "stroke": BRASS,
      "stroke-width": 2,
    });
    const body = make(
      "g",
      { ...about, "class": "body", "data-part": "body" },
      make("rect", {
        x: left,
        y: top - 4,
        width: right - left,
        height: 26,
        fill: "transparent",
      }),
      ...named(span, middle + 14, y),
      make("rect", { x: middle - 11, y: y - 9, width: 22, height: 18, rx: 3, fill: BRASS }),
      Object.assign(make("text", { class: "letter", x: middle, y: y + 5 }), {
        textContent: span.letter,
      }),
    );
    const ends = [
      ["lo", left, "start"],
      ["hi", right, "end"],
    ].map((/** @type {[string, number, string]} */ [part, x, word]) => {
      const end = make(
        "g",
        {
          ...about,
          "data-part": part,
          "data-key": `${span.id}-${part}`,
          "tabindex": 0,
          "role": "slider",
          "aria-label": `${word} of span ${span.letter}`,
          "aria-valuenow": span[part],
          "aria-valuetext": span.text,
        },
        make("rect", {
          class: "grip",
          x: x - 7,
          y: top - 4,
          width: 14,
          height: box.bottom - top + 4,
        }),
        make("rect", {
          class: "frame",
          x: x - 3,
          y: top + 8,
          width: 6,
          height: 16,
          rx: 2,
          fill: BRASS,
        }),
      );
      return end;
    });
    return [this.shade(span.lo, span.hi, BRASS, 0.07), frame, body, ...ends];
  }

  pin(marker) {
    const x = this.scale.x(marker.x);
    const box = this.frame;
    if (x < box.left || x > box.right) return make("g", {});
    return make(
      "g",
      {
        "class": "pin",
        "data-kind": "markers",
        "data-id": marker.id,
        "data-part": "x",
        "data-key": `m${marker.id}`,
        "tabindex": 0,
        "role": "slider",
        "aria-label": `marker ${marker.number}`,
        "aria-valuenow": marker.x,
        "aria-valuetext": marker.text,
      },
      make("path", {
        "d": `M${x} ${this.top + 26}V${box.bottom}`,
        "stroke": LEAD,
        "stroke-dasharray": "2 3",
        "fill": "none",
      }),
      make("circle", { class: "frame", cx: x, cy: this.top + 15, r: 10, fill: LEAD }),
      Object.assign(make("text", { class: "letter", x, y: this.top + 20 }), {
        textContent: marker.number,
      }),
    );
  }

  thing(element) {
    const group = element.closest("[data-kind]");
    if (!group) return null;
    const { kind, id, part } = group.dataset;
    const list = this.overlay[kind];
    return { kind, part, item: list.find((one) => one.id === Number(id)) };
  }

  grab(event) {
    const held = this.thing(event.target);
    if (!held?.item || event.button) return;
    event.stopPropagation();
    event.preventDefault();
    event.target.closest("[tabindex]")?.focus();
    this.svg.setPointerCapture(event.pointerId);
    this.held = { ...held, from: this.scale.fromX(event.offsetX), before: { ...held.item } };
  }

  drag(event) {
    if (!this.held) return;
    event.stopPropagation();
    const { item, part, before, from } = this.held;
    const by = this.scale.fromX(event.offsetX) - from;
    if (part === "body") {
      item.lo = before.lo + by;
      item.hi = before.hi + by;
    } else item[part] = before[part] + by;
    this.held.moved = true;
    this.draw();
    if (this.held.kind === "spans")
      this.dragged(item.id, Math.min(item.lo, item.hi), Math.max(item.lo, item.hi));
  }

  drop(event) {
    if (!this.held) return;
    event.stopPropagation();
    const { kind, item, moved } = this.held;
    this.held = null;
    if (moved) this.tell(kind, item, !event.altKey);
  }

  // An end or a marker comes to rest on a reading, unless Alt is held.
  tell(kind, item, snap) {
    const fields =
      kind === "spans"
        ? { lo: Math.min(item.lo, item.hi), hi: Math.max(item.lo, item.hi) }
        : { x: item.x };
    this.moved(kind, item.id, snap ? { ...fields, snap: 1 } : fields);
  }

  async key(event) {
    const held = this.thing(event.target);
    if (!held?.item) return;
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      event.stopPropagation();
      this.removed(held.kind, held.item.id);
    }
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    const x = await this.stepped(held.item[held.part], by * (event.shiftKey ? 10 : 1));
    if (x === null) return;
    held.item[held.part] = x;
    this.draw();
    this.tell(held.kind, held.item);
  }
}
