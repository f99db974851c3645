// The readings of the window that is shown, as much of them as can be seen.
// Owns the arrays and the one request that is under way; of newer windows only the last is asked
// for when it is done, so that a fast hand never piles up work for the server.
import { contentOf, reach } from "../shell/js/answers.js";
import { SIDES } from "./sides.js";

export class Window {
  constructor(url, layout, changed) {
    this.url = url;
    this.layout = layout;
    this.changed = changed;
    this.traces = [];
    this.runs = [];
    this.whole = null; // limits that show all: {x, graphs: Map of id to limits by side}
    this.trouble = "";
    this.bytes = 0;
  }

  // Ask for [lo, hi], or for all where there are no limits; some more at the sides is for sliding.
  async ask(limits, columns) {
    this.next = { limits, columns };
    if (this.busy) return;
    this.busy = true;
    while (this.next) {
      const { limits: ends, columns: wide } = this.next;
      this.next = null;
      await this.fetch(ends, wide);
      this.changed();
    }
    this.busy = false;
  }

  async fetch(limits, columns) {
    const query = new URLSearchParams({ columns: String(Math.round(columns)) });
    if (limits) {
      const [lo, hi] = this.wider(limits);
      query.set("lo", lo);
      query.set("hi", hi);
      query.set("columns", String(Math.round(columns * 1.5)));
    }
    const answer = await reach(`${this.url}?${query}`);
    if (answer?.status === 204) return; // the sheet is gone, removed or undone
    const content = await contentOf(answer, answer?.ok ? "arrayBuffer" : "text");
    if (content === null)
      this.trouble =
        "The server does not answer. Is Galena still running? Nothing recorded is lost.";
    else if (answer.ok) this.unpack(content);
    else
      this.trouble =
        answer.status === 409 ? content : "The readings could not be fetched. Load the page again.";
  }

  // Show what another window has until the own readings come, where the axes are of the same kind.
  takeFrom(other) {
    const kinds = ({ layout: { x, graphs } }) =>
      JSON.stringify([
        x.log,
        graphs.map((graph) => [graph.id, ...SIDES.map((side) => graph[side].log)]),
      ]);
    if (kinds(this) !== kinds(other)) return;
    const { traces, runs, whole } = other;
    Object.assign(this, { traces, runs, whole });
  }

  // Whether the readings that are here are enough for a window, and not much too coarse for it.
  /** @param {any} limits */
  covers(limits) {
    const [lo, hi] = limits;
    const { lo: first, hi: last } = this.span ?? {};
    return first <= lo && hi <= last && (hi - lo) * 3 >= last - first;
  }

  wider([lo, hi]) {
    if (!this.layout.x.log) return [lo - (hi - lo) / 4, hi + (hi - lo) / 4];
    const ratio = (hi / lo) ** 0.25;
    return [lo / ratio, hi * ratio];
  }

  unpack(buffer) {
    const size = new DataView(buffer).getUint32(0, true);
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, size)));
    const reader = { buffer, place: 4 + size };
    const logs = new Map(this.layout.graphs.map((graph) => [graph.id, graph]));
    this.traces = head.traces.map((trace) => {
      const yLog = Boolean(logs.get(trace.graph)?.[trace.side].log);
      if (trace.kind === "points")
        return { ...trace, ...points(reader, trace, this.layout.x.log, yLog) };
      const [lows, highs] = [
        column(reader, trace.n, trace.y0, trace.ys, yLog),
        column(reader, trace.n, trace.y0, trace.ys, yLog),
      ];
      const apart = trace.apart && {
        ...trace.apart,
        ...points(reader, trace.apart, this.layout.x.log, yLog),
      };
      return { ...trace, x: this.centres(head), lows, highs, apart };
    });
    this.runs = head.runs;
    this.span = head;
    this.whole = {
      x: head.x,
      zero: head.zero,
      graphs: new Map(head.graphs.map((graph) => [graph.id, graph])),
    };
    this.trouble = "";
    this.bytes = buffer.byteLength;
  }

  centres({ lo, hi, columns }) {
    const at = this.layout.x.log
      ? (i) => lo * (hi / lo) ** ((i + 0.5) / columns)
      : (i) => lo + ((i + 0.5) / columns) * (hi - lo);
    return Float64Array.from({ length: columns }, (_, i) => at(i));
  }
}

function column(reader, n, origin, size, log) {
  const kept = new Float32Array(reader.buffer, reader.place, n);
  reader.place += 4 * n;
  return Float64Array.from(kept, (value) =>
    log ? 10 ** (value * size + origin) : value * size + origin,
  );
}

function points(reader, head, xLog, yLog) {
  const shown = {
    x: column(reader, head.n, head.x0, head.xs, xLog),
    y: column(reader, head.n, head.y0, head.ys, yLog),
    aside: new Set(head.aside),
  };
  if (head.u_y) shown.uY = column(reader, head.n, 0, 1, false);
  if (head.u_x) shown.uX = column(reader, head.n, 0, 1, false);
  return shown;
}
