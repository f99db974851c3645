// The readings of the window that is shown, as much of them as can be seen.
// Owns the arrays and the one request that is under way; of newer windows only the last is asked
// for when it is done, so that a fast hand never piles up work for the server.

export class Window {
  constructor(url, changed) {
    this.url = url;
    this.changed = changed;
    this.runs = [];
    this.limits = null;
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
    const query = new URLSearchParams({ columns: Math.round(columns) });
    if (limits) {
      const aside = (limits[1] - limits[0]) / 4;
      query.set("lo", limits[0] - aside);
      query.set("hi", limits[1] + aside);
      query.set("columns", Math.round(columns * 1.5));
    }
    try {
      const answer = await fetch(`${this.url}?${query}`);
      if (answer.ok) this.unpack(await answer.arrayBuffer());
      else this.trouble = answer.status === 409 ? await answer.text() : "The readings could not be fetched. Load the page again.";
    } catch {
      this.trouble = "The server does not answer. Is Galena still running? Nothing recorded is lost.";
    }
  }

  unpack(buffer) {
    const size = new DataView(buffer).getUint32(0, true);
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, size)));
    let place = 4 + size;
    this.runs = head.runs.map((run) => {
      const x = Float64Array.from(new Float32Array(buffer, place, run.n), (value) => value + run.x0);
      const y = Float64Array.from(new Float32Array(buffer, place + 4 * run.n, run.n), (value) => value + run.y0);
      place += 8 * run.n;
      return { ...run, x, y };
    });
    this.limits = head.limits;
    this.trouble = "";
    this.bytes = buffer.byteLength;
  }
}
