// Where the graphs of a stack lie, and their axes: one x under all, a left and perhaps a right
// axis for each. Owns nothing but the width that its tick labels once needed: it never shrinks
// while the page is open, so that nothing jumps while readings come.
import { line, rem, scales } from "../shell/js/axes.js";
import { labelled, labelledDecades, labelledHours } from "../shell/js/ticks.js";
import { COLOURS } from "../shell/js/colours.js";
import { asRead } from "../shell/js/decimal_sign.js";
import { ROW } from "./ruler_rows.js";
import { has, isNumbered, SIDES } from "./sides.js";

const TEXT = '"Source Sans 3", sans-serif';
const LONG = 7200; // seconds; longer times are written in hours and minutes

export class Stack {
  constructor(layout) {
    this.layout = layout;
    this.widest = { left: 0, right: 0, third: 0 };
    this.rulerRows = 1; // told by the sheet
  }

  // Give each graph's scales: a Map of id to {left, right, third}, those at the right only where
  // something is on them.
  place(context, width, height, limits, shares) {
    const size = rem();
    this.size = size;
    this.limits = limits;
    context.font = `${0.875 * size}px ${TEXT}`;
    const { graphs } = this.layout;
    const gap = 1.05 * size;
    const titles = graphs.map(({ title, residual }) => (title || residual ? 1.5 * size : 0));
    const rows = ROW * (this.rulerRows - 1);
    const top = 2.05 * size + rows;
    const bottom = height - 2.75 * size;
    const room =
      bottom - top - gap * (graphs.length - 1) - titles.reduce((sum, one) => sum + one, 0);
    const whole = graphs.reduce((sum, { id }) => sum + shares.get(id), 0);
    this.ticks = new Map();
    const heights = graphs.map(({ id }) => Math.max(2 * size, (room * shares.get(id)) / whole));
    graphs.forEach((graph, i) =>
      this.ticks.set(graph.id, this.tickTexts(graph, limits.graphs.get(graph.id), heights[i])),
    );
    for (const side of SIDES) {
      const needed = Math.max(
        0,
        ...[...this.ticks.values()].flatMap((one) =>
          (one[side] ?? []).map(([, text]) => context.measureText(text).width),
        ),
      );
      this.widest[side] = Math.max(this.widest[side], Math.ceil(needed / 8) * 8);
    }
    const beyond = (side) =>
      graphs.some((graph) => has(graph, side)) ? this.widest[side] + 2.15 * size : 0;
    this.thirdOff = beyond("right"); // how far beyond the frame the third axis stands
    this.rightWidth = this.thirdOff + beyond("third");
    const left = this.widest.left + 2.15 * size;
    const right = width - (this.rightWidth || 1 * size);
    this.top = 0.35 * size;
    let place = top;
    this.boxes = new Map(
      graphs.map(({ id }, i) => {
        place += titles[i];
        const box = { left, right, top: place, bottom: place + heights[i] };
        place = box.bottom + gap;
        return [id, box];
      }),
    );
    this.scales = this.scaled(limits);
    const boxes = [...this.boxes.values()];
    this.frame = { left, right, top: boxes[0].top, bottom: boxes.at(-1).bottom };
    this.xTicks = this.alongTicks(limits.x, right - left);
    return this.scales;
  }

  // The scales of all graphs where they lie now, for certain limits.
  scaled(limits) {
    return new Map(
      this.layout.graphs.map((graph) => {
        const box = this.boxes.get(graph.id);
        const own = limits.graphs.get(graph.id);
        const of = (side) =>
          scales(box, limits.x, own[side], { xLog: this.layout.x.log, yLog: graph[side].log });
        return [
          graph.id,
          {
            left: of("left"),
            box,
            ...(has(graph, "right") && { right: of("right") }),
            ...(has(graph, "third") && { third: of("third") }),
          },
        ];
      }),
    );
  }

  tickTexts(graph, limits, height) {
    const about = Math.max(2, height / (3.2 * this.size));
    const of = (side) =>
      graph[side].log ? labelledDecades(...limits[side], about) : labelled(...limits[side], about);
    return {
      left: isNumbered(graph, "left") ? of("left") : [],
      right: has(graph, "right") ? of("right") : [],
      third: has(graph, "third") ? of("third") : [],
    };
  }

  get inHours() {
    const [lo, hi] = this.limits.x;
    return (
      this.layout.time &&
      !this.layout.x.log &&
      Math.max(Math.abs(lo), Math.abs(hi)) > LONG &&
      hi - lo >= 240
    );
  }

  alongTicks(limits, width) {
    const about = Math.max(2, width / (6 * this.size));
    if (this.layout.x.log) return labelledDecades(...limits, about);
    return this.inHours ? labelledHours(...limits, about) : labelled(...limits, about);
  }

  draw(context) {
    const { size, frame } = this;
    context.fillStyle = COLOURS.ruler;
    context.fillRect(
      frame.left,
      this.top,
      frame.right - frame.left,
      1.55 * size + ROW * (this.rulerRows - 1),
    );
    context.font = `${0.875 * size}px ${TEXT}`;
    context.lineWidth = 1;
    context.setLineDash([]);
    for (const [id, { left, right, third, box }] of this.scales) {
      context.textBaseline = "middle";
      this.upright(context, left, this.ticks.get(id).left, box.left, -1);
      if (right) this.upright(context, right, this.ticks.get(id).right, box.right, 1);
      if (third)
        this.upright(context, third, this.ticks.get(id).third, box.right + this.thirdOff, 1);
      context.strokeStyle = COLOURS.axis;
      line(context, box.left, box.bottom + 0.5, box.right, box.bottom + 0.5);
      for (const [place] of this.xTicks) {
        const x = Math.round(left.x(place)) + 0.5;
        line(context, x, box.bottom, x, box.bottom + 4);
      }
    }
    const { left } = this.scales.values().next().value;
    context.fillStyle = COLOURS.ink;
    context.textAlign = "center";
    context.textBaseline = "top";
    for (const [place, text] of this.xTicks)
      context.fillText(asRead(text), Math.round(left.x(place)) + 0.5, frame.bottom + 0.45 * size);
  }

  upright(context, scale, ticks, at, way) {
    const { box } = scale;
    context.textAlign = way < 0 ? "right" : "left";
    context.fillStyle = COLOURS.ink;
    for (const [place, text] of ticks) {
      const y = Math.round(scale.y(place)) + 0.5;
      if (y < box.top - 1 || y > box.bottom + 1) continue;
      if (way < 0) {
        context.strokeStyle = COLOURS.hairline;
        line(context, box.left, y, box.right, y);
      }
      context.strokeStyle = COLOURS.axis;
      line(context, at, y, at + 5 * way, y);
      context.fillText(asRead(text), at + 9 * way, y);
    }
    context.strokeStyle = COLOURS.axis;
    line(context, at + 0.5 * -way, box.top, at + 0.5 * -way, box.bottom);
  }

  // Which part of the stack lies under a pixel.
  part(x, y) {
    if (!this.frame) return null;
    if (y > this.frame.bottom) return { axis: "x", graph: this.layout.graphs.at(-1).id };
    let nearest = null;
    for (const [id, one] of this.scales) {
      const off = Math.max(one.box.top - y, y - one.box.bottom, 0);
      if (!nearest || off < nearest.off) nearest = { id, off, one };
    }
    const { box, right, third } = nearest.one;
    let axis = x < box.left ? "left" : "plot";
    if (x > box.right && right) axis = "right";
    if (x > box.right + this.thirdOff && third) axis = "third";
    return { axis, graph: nearest.id };
  }
}
