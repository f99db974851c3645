// What the server reads at the cursor of a sheet: one request under way, the latest wish next, so
// that no answer overtakes a newer one. A wish is a place in x, some steps from where the cursor
// stands when its turn comes, or a row of a run.

export class Cursor {
  /** @param {{ url: string, start: () => number, shown: (stepped: boolean) => void }} how */
  constructor({ url, start, shown }) {
    this.url = url;
    this.start = start;
    this.shown = shown;
    this.read = null; // what was read last
    this.next = null;
    this.underWay = null;
  }

  async go(wish) {
    this.next = wish;
    if (this.underWay) return;
    while (this.next) {
      const { row, x, by = 0, free = false } = (this.underWay = this.next);
      this.next = null;
      const read = await this.ask(row ?? asked(x ?? this.read?.x ?? this.start(), by, free));
      if (read) {
        this.read = read;
        this.shown(Boolean(row) || by !== 0);
      }
    }
    this.underWay = null;
  }

  step(by) {
    const { x = null, by: before = 0 } = this.next ?? {};
    this.go({ x, by: before + by });
  }

  // The readings have changed: it is read again where it stands, unless a wish is waiting.
  readAnew() {
    if (!this.next && (this.read || this.underWay)) this.go({ x: null, free: this.read?.free });
  }

  // The sheet came anew: what was wished for there is read here.
  takeFrom(other) {
    const wish = other.next ?? other.underWay ?? (other.read && { free: other.read.free });
    if (wish) this.go(wish.row ? wish : { ...wish, x: wish.x ?? other.read?.x });
  }

  at(x, by, free = false) {
    return this.ask(asked(x, by, free));
  }

  async ask(what) {
    const answer = await fetch(`${this.url}?${new URLSearchParams(what)}`).catch(() => null);
    if (answer?.status !== 200) return null; // 204: the sheet is gone, removed or undone
    const read = await answer.json();
    return read.trouble ? null : read;
  }
}

const asked = (x, step, free) => ({ x, step, ...(free && { free: "yes" }) });
