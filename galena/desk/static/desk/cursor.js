// What the server reads at the cursor of a sheet: one request under way, the latest wish next, so
// that no answer overtakes a newer one. A wish is a place in x, some steps from where the cursor
// stands when its turn comes, or a row of a run. An act at the cursor waits for the wishes before it:
// quick fingers mark off what they went to.
import { contentOf, reach } from "../shell/js/answers.js";

export class Cursor {
  /** @param {{ url: string, start: () => number, shown: (stepped: boolean) => void,
   *            act: (name: string) => void }} how */
  constructor({ url, start, shown, act }) {
    this.url = url;
    this.start = start;
    this.shown = shown;
    this.act = act;
    this.read = null; // what was read last
    this.line = []; // wishes and acts that wait
    this.underWay = null;
  }

  // The wish that waits, where nothing is to be done before it is followed.
  get next() {
    const last = this.line.at(-1);
    return last && !last.act ? last : null;
  }

  async go(wish) {
    if (this.next) this.line.pop();
    this.line.push(wish);
    if (this.underWay) return;
    while (this.line.length) {
      this.underWay = this.line.shift();
      if (this.underWay.act) this.act(this.underWay.act);
      else await this.follow(this.underWay);
    }
    this.underWay = null;
  }

  async follow({ row, x, by = 0, free = false }) {
    const read = await this.ask(row ?? asked(x ?? this.read?.x ?? this.start(), by, free));
    if (!read) return;
    this.read = read;
    this.shown(Boolean(row) || by !== 0);
  }

  step(by) {
    const { x = null, by: before = 0 } = this.next ?? {};
    this.go({ x, by: before + by });
  }

  // Do something where the cursor will stand when all that was wished for so far is done.
  atCursor(act) {
    if (this.underWay) this.line.push({ act });
    else this.act(act);
  }

  // The readings have changed: it is read again where it stands, unless a wish is waiting.
  readAnew() {
    if (!this.next && (this.read || this.underWay)) this.go({ x: null, free: this.read?.free });
  }

  // The sheet came anew: what was wished for there is read here.
  takeFrom(other) {
    const waiting = [other.underWay, ...other.line].filter(Boolean);
    if (!waiting.length && other.read) waiting.push({ free: other.read.free });
    for (const [place, wish] of waiting.entries()) {
      if (wish.act) this.atCursor(wish.act);
      else this.go(place || wish.row ? wish : { ...wish, x: wish.x ?? other.read?.x });
    }
  }

  at(x, by, free = false) {
    return this.ask(asked(x, by, free));
  }

  async ask(what) {
    const answer = await reach(`${this.url}?${new URLSearchParams(what)}`);
    if (answer?.status !== 200) return null; // 204: the sheet is gone, removed or undone
    const read = await contentOf(answer);
    return read?.trouble ? null : read;
  }
}

const asked = (x, step, free) => ({ x, step, ...(free && { free: "yes" }) });
