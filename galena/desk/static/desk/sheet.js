// One sheet in sight: its window of readings, its view, its cursor and what is drawn.
// Owns the elements inside its <section>. Every number shown comes from the server.
import { fitted } from "../shell/js/axes.js";
import { post, say } from "../shell/js/frame.js";
import { inTurn } from "../shell/js/in_turn.js";
import { Cursor } from "./cursor.js";
import { attachEdges } from "./edges.js";
import { attach } from "./gestures.js";
import { axisKey, plotKey } from "./keys.js";
import { label } from "./labels.js";
import { Legend } from "./legend.js";
import { Notes } from "./notes.js";
import { overlayOf } from "./overlay.js";
import { paintCursor, paintGraph } from "./painting.js";
import { areasOf, curvesOf, tracesOf } from "./plot_data.js";
import { previewSpan } from "./preview_span.js";
import { Ruler } from "./ruler.js";
import { SIDES } from "./sides.js";
import { Stack } from "./stack.js";
import { strip } from "./strip.js";
import { View } from "./view.js";
import { Window } from "./window.js";

export class Sheet {
  constructor(section, { markOf, change, active }) {
    this.section = section;
    this.markOf = markOf;
    this.change = change;
    this.active = active;
    this.id = Number(section.dataset.sheet);
    const [layout, own] = section.querySelectorAll("script[type='application/json']");
    this.layout = JSON.parse(layout.textContent);
    this.overlay = overlayOf(section, own);
    this.stackElement = section.querySelector(".stack");
    this.plots = section.querySelector("canvas.plots");
    this.over = section.querySelector("canvas.over");
    this.shares = new Map(this.layout.graphs.map(({ id, share }) => [id, share]));
    this.stack = new Stack(this.layout);
    this.view = new View(this.layout, section.dataset.view, () => {
      this.repaint();
      this.fetchSoon();
    });
    this.shown = new Window(section.dataset.data, this.layout, () => this.fetched());
    this.reader = new Cursor({
      url: section.dataset.at,
      start: () => this.view.limits(this.shown.whole).x[0],
      shown: (stepped) => this.showCursor(stepped),
      act: (name) => this.actAtCursor(name),
    });
    this.begun = null; // where Enter started a span
    this.connect();
    this.size = new ResizeObserver(() => {
      this.repaint();
      this.fetch();
    });
    this.size.observe(this.stackElement);
  }

  connect() {
    const { section } = this;
    this.ruler = new Ruler(section.querySelector("svg.ruler"), {
      moved: (kind, id, fields) => this.change(`${this.urlOf(kind)}/${id}`, fields, "ledger"),
      removed: (kind, id) => this.change(`${this.urlOf(kind)}/${id}`, { remove: 1 }, "ledger"),
      stepped: async (x, by) => (await this.reader.at(x, by))?.x ?? null,
      dragged: (id, lo, hi) => previewSpan(this, id, lo, hi),
    });
    this.legend = new Legend(section.querySelector(".legend"), {
      markOf: this.markOf,
      layout: this.layout,
      moved: (at) => inTurn(() => post(section.dataset.change, { legend_at: at.join(",") })),
    });
    this.notes = new Notes([...section.querySelectorAll(".note")], {
      change: (url, fields) => this.change(url, fields, "sheets"),
      write: (note) => this.write(note),
    });
    this.notes.repaint = () => this.repaint();
    attachEdges(section.querySelectorAll(".edge"), {
      shares: this.shares,
      order: this.layout.graphs.map(({ id }) => id),
      heightOf: () => this.stackElement.clientHeight,
      repaint: () => this.repaint(),
      keep: () =>
        this.change(
          section.dataset.change,
          { shares: JSON.stringify(Object.fromEntries(this.shares)) },
          "sheets",
        ),
    });
    this.inHand = attach(this.stackElement, {
      where: (x, y) => this.stack.part(x, y),
      box: () => this.stack.frame,
      fromX: (pixel) => this.any.fromX(pixel),
      zoom: (part, factor, x, y) => this.view.zoom(part, this.scalesNow(), factor, x, y),
      slide: (part, x, y) => this.view.slide(part, this.scalesNow(), x, y),
      draft: (ends) => {
        this.ruler.draft = ends;
        this.repaint();
      },
      span: (lo, hi, free, graph) => this.mark(lo, hi, free, graph),
      marker: (x, free, graph) => this.drop(x, free, graph),
      hover: (x, free) => this.point(x, free),
      axis: (part) => this.openAxis(part),
      key: (event) => plotKey(this, event),
      axisKey: (name, event) => axisKey(this, name, event),
    });
    this.stackElement.addEventListener("focusin", () => this.active(this));
    this.notes.take(this.overlay.notes);
    this.ruler.show(this.overlay);
  }

  urlOf(kind) {
    return this.section.dataset[kind].replace(/sheets\/\d+\//, "");
  }

  // Several gestures may come between two pictures: each goes on from where the last one led.
  scalesNow() {
    return this.stack.scaled(this.view.limits(this.shown.whole));
  }

  get any() {
    return this.stack.scales.values().next().value.left;
  }
  get columns() {
    return Math.max(50, this.stackElement.clientWidth - 100);
  }
  fetch() {
    this.wanted = this.view.x;
    return this.shown.ask(this.view.x, this.columns);
  }

  // What is here covers some more than is shown: while it does, finer readings may wait for the hand.
  fetchSoon() {
    const { x } = this.view;
    if (x && this.wanted && x[0] === this.wanted[0] && x[1] === this.wanted[1]) return;
    const covered = x && this.shown.covers(x);
    if (!covered) {
      this.soon ??= setTimeout(() => {
        this.soon = null;
        this.fetch();
      }, 30);
      return;
    }
    clearTimeout(this.later);
    this.later = setTimeout(() => this.fetch(), 160);
  }

  fetched() {
    for (const { number, marked } of this.shown.runs) this.markOf.choose(number, marked);
    say(this.shown.trouble);
    const empty = !this.shown.runs.length && !this.shown.trouble;
    this.section.querySelector(".hint").hidden = !empty;
    if (!this.cursor && this.shown.runs.length && !this.reader.underWay) {
      // it always tells something
      const [lo, hi] = this.view.limits(this.shown.whole).x;
      this.point(this.layout.x.log ? Math.sqrt(lo * hi) : (lo + hi) / 2);
    }
    this.repaint();
  }

  close() {
    this.size.disconnect();
    this.closed = true;
    if (this.view.waiting) this.view.keep();
  }

  repaint() {
    if (this.due) return;
    this.due = true;
    requestAnimationFrame(() => {
      this.due = false;
      if (!this.closed) this.paint();
    });
  }

  paint() {
    const { context, width, height } = fitted(this.plots);
    if (!width || !height) return;
    const limits = this.view.limits(this.shown.whole);
    this.stack.rulerRows = this.ruler.rows.count;
    const scales = this.stack.place(context, width, height, limits, this.shares);
    Object.assign(this.stack, { width, height });
    this.stack.draw(context);
    for (const [id, graph] of scales) {
      const traces = tracesOf(this.shown.traces, this.preview, id);
      const curves = curvesOf(this.layout, this.overlay, this.preview, id, this.lookedAt);
      const areas = areasOf(this.layout, this.overlay, id);
      paintGraph(context, graph, traces, curves, areas, this.markOf, this.layout);
    }
    this.ruler.place(this.any, this.stack.frame, this.stack.top);
    label(this, scales);
    this.legend.show(this.shown.runs, this.stack, this.shown.traces);
    this.paintOver();
    this.tell(limits, scales);
  }

  lay(preview) {
    this.preview = preview;
    this.repaint();
  }

  // Curves that are only looked at, beside those that are kept.
  layOver(curves) {
    this.lookedAt = curves;
    this.stackElement.dataset.laid = curves.length;
    this.repaint();
  }

  paintOver() {
    const { context } = fitted(this.over);
    if (!this.stack.scales) return;
    this.notes.place(this.stack, context);
    if (this.cursor) paintCursor(context, this.stack, this.cursor, this.markOf, this.layout);
  }

  tell({ x, graphs }, scales) {
    // for tests and for the curious
    const placed = this.layout.graphs.map(({ id, ...graph }) => ({
      id,
      box: scales.get(id).box,
      log: Object.fromEntries(SIDES.map((side) => [side, graph[side].log])),
      ...graphs.get(id),
    }));
    const runs = this.shown.runs.length;
    this.stackElement.dataset.shown = JSON.stringify({
      x,
      y: placed[0].left,
      box: placed[0].box,
      graphs: placed,
      runs,
      kinds: this.shown.traces.map(({ kind }) => kind),
    });
  }

  get cursor() {
    return this.reader.read;
  }

  point(x, free = false) {
    return this.reader.go({ x, free });
  }

  showCursor(stepped) {
    strip(
      this.section.querySelector(".reading"),
      this.cursor,
      this.section.querySelector(".axis-label.along"),
      this.markOf,
      this.layout,
    );
    const limits = this.view.limits(this.shown.whole);
    if (stepped && (this.cursor.x < limits.x[0] || this.cursor.x > limits.x[1]))
      this.view.centre(this.cursor.x, limits);
    this.paintOver();
    document.dispatchEvent(
      new CustomEvent("cursor", { detail: { sheet: this, cursor: this.cursor } }),
    );
  }

  // A hand is in the middle of something here.
  get isHeld() {
    return Boolean(this.inHand() || this.ruler.held || this.begun !== null);
  }

  // Spans and markers come to rest on readings, unless Alt was held.
  mark(lo, hi, free = false, graph = null) {
    this.change(
      this.section.dataset.spans,
      {
        lo: Math.min(lo, hi),
        hi: Math.max(lo, hi),
        ...(!free && { snap: 1 }),
        ...(graph !== null && { graph }),
      },
      "ledger",
    );
  }

  drop(x, free = false, graph = null) {
    this.change(
      this.section.dataset.markers,
      { x, ...(!free && { snap: 1 }), ...(graph !== null && { graph }) },
      "ledger",
    );
  }

  actAtCursor(name) {
    if (name === "note") this.write();
    else if (!this.cursor) return;
    else if (name === "marker") this.drop(this.cursor.x, this.cursor.free);
    else this.markOff();
  }

  markOff() {
    if (this.begun === null) {
      this.begun = this.cursor.x;
      say(
        `The span starts at ${this.cursor.text} ${this.cursor.unit}. Step to its end and press Enter, or Escape to leave it.`,
      );
      return;
    }
    const ends = [this.begun, this.cursor.x];
    this.begun = null;
    say("");
    this.mark(...ends);
  }

  write(note = null) {
    const first = this.layout.graphs[0];
    const row = this.cursor?.rows.find(({ y }) => y !== null);
    if (!note && !row) {
      say("Point at a reading first: a note is about a place in the graph.");
      return;
    }
    document.dispatchEvent(
      new CustomEvent("write-note", {
        detail: {
          sheet: this,
          note,
          at: row && { x: row.x, y: row.y, graph: row.graph ?? first.id, side: row.side },
        },
      }),
    );
  }

  openAxis({ axis, graph }) {
    const name = axis === "x" ? ".axis-label.along" : `.axis-label.${axis}[data-graph="${graph}"]`;
    this.section.querySelector(name)?.click();
  }

  show(overlay) {
    this.overlay = overlay;
    this.preview = null;
    this.notes.take(overlay.notes);
    this.ruler.show(overlay);
    this.repaint();
  }
}
