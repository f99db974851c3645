// The readings table: only the rows in sight are elements, so that a million are no more work than
// twenty. Typed cells are fields; what is typed goes to the server cell by cell, in order, and stays
// in its field with a word on it where it is refused.
import { contentOf, contentAt } from "../shell/js/answers.js";
import { post } from "../shell/js/frame.js";
import { inTurn } from "../shell/js/in_turn.js";
import { tellChanged } from "../shell/js/parts.js";
import { rem } from "../shell/js/axes.js";
import { grouped } from "../shell/js/numbers.js";
import { tableKey } from "./table_keys.js";
import { pasted, typedIn } from "./table_typing.js";
import { fillRow, makeRow, PAGE } from "./table_rows.js";

const HIGHEST = 12e6; // pixels: taller elements are beyond some browsers
const AROUND = 6; // rows drawn above and below those in sight

export class Table {
  constructor(drawer, { changed, read, reload }) {
    this.drawer = drawer;
    this.changed = changed;
    this.read = read;
    this.reload = reload;
    this.box = drawer.querySelector("#table");
    this.trouble = drawer.querySelector("#table-trouble");
    if (!this.box) return;
    const { url, count, typed, stream, run } = this.box.dataset;
    this.url = url;
    this.stream = stream;
    this.run = Number(run);
    this.count = Number(count);
    this.typed = typed === "yes";
    this.columns = [...this.box.querySelectorAll("thead [data-column]")].map((cell) =>
      Number(cell.dataset.column),
    );
    this.body = this.box.querySelector("tbody");
    this.tools = drawer.querySelector("#row-tools");
    this.pages = new Map(this.count ? [] : [[0, []]]);
    this.asides = new Map();
    this.shown = new Map(); // row → its <tr>
    this.row = 0; // the row that is chosen
    this.above = document.createElement("tr");
    this.below = document.createElement("tr");
    this.body.append(this.above, this.below);
    this.box.addEventListener("scroll", () => this.draw());
    this.box.addEventListener("keydown", (event) => tableKey(this, event));
    this.box.addEventListener("change", (event) => typedIn(this, event.target));
    this.box.addEventListener("paste", (event) => pasted(this, event));
    this.box.addEventListener("focusin", (event) => this.focused(event.target));
    drawer.addEventListener("click", (this.clicked = (event) => this.click(event)));
    this.tools.addEventListener(
      "submit",
      (this.submitted = (event) => {
        event.preventDefault();
        this.aside();
      }),
    );
    this.watch = new ResizeObserver(() => this.draw());
    this.watch.observe(this.box);
    this.draw();
  }

  close() {
    this.watch?.disconnect();
    this.drawer.removeEventListener("click", this.clicked);
  }

  get height() {
    return Math.round(1.7 * rem());
  }
  get rows() {
    return this.count + (this.typed ? 1 : 0);
  } // a typed table has room for one more
  get whole() {
    return Math.min(this.rows * this.height, HIGHEST);
  }
  get inSight() {
    return Math.ceil(this.box.clientHeight / this.height);
  }

  // The first row in sight; of very many rows a pixel is several.
  get first() {
    if (this.rows * this.height <= HIGHEST) return Math.floor(this.box.scrollTop / this.height);
    return Math.round(Math.min(1, this.box.scrollTop / this.room) * this.beyond);
  }

  get edges() {
    return (
      this.box.querySelector("thead").offsetHeight + this.box.querySelector("tfoot").offsetHeight
    );
  }
  get room() {
    return Math.max(1, this.whole + this.edges - this.box.clientHeight);
  } // that can be scrolled
  get beyond() {
    return Math.max(0, this.rows - Math.floor((this.box.clientHeight - this.edges) / this.height));
  }

  draw() {
    const start = Math.max(0, this.first - AROUND);
    const end = Math.min(this.rows, this.first + this.inSight + AROUND);
    for (const [row, element] of this.shown) {
      if (row < start || row >= end) {
        element.remove();
        this.shown.delete(row);
      }
    }
    let before = this.above;
    for (let row = start; row < end; row++) {
      let element = this.shown.get(row);
      if (!element) {
        element = makeRow(this, row);
        this.shown.set(row, element);
      }
      if (before.nextSibling !== element) before.after(element);
      before = element;
    }
    const scaled = this.rows * this.height > HIGHEST;
    const over = scaled
      ? Math.max(0, this.box.scrollTop - (this.first - start) * this.height)
      : start * this.height;
    this.above.style.height = `${over}px`;
    this.below.style.height = `${Math.max(0, this.whole - over - (end - start) * this.height)}px`;
    this.fetch(start, end);
  }

  // Pages of rows, the one in sight first; of a fast scroll only the last place is asked for.
  async fetch(start, end) {
    this.wanted = [start, Math.min(end, this.count)];
    if (this.fetching) return;
    this.fetching = true;
    for (;;) {
      const [from, to] = this.wanted;
      let missing = null;
      for (let page = Math.floor(from / PAGE); page * PAGE < to; page++)
        if (!this.pages.has(page)) {
          missing = page;
          break;
        }
      if (missing === null) break;
      const typing = this.typing;
      const page = await contentAt(
        `${this.url}/rows?${new URLSearchParams({ first: String(missing * PAGE), count: String(PAGE), stream: this.stream })}`,
      );
      if (!page) break;
      if (typing !== this.typing) {
        if (!this.pages.has(missing)) continue;
        break;
      }
      if (this.pages.size > 60) this.pages.clear();
      this.pages.set(missing, page.rows);
      for (const [first, last, reason] of page.asides) {
        for (
          let row = Math.max(first, missing * PAGE);
          row <= Math.min(last, (missing + 1) * PAGE - 1);
          row++
        )
          this.asides.set(row, reason);
      }
      for (const [row, element] of this.shown) fillRow(this, row, element);
    }
    this.fetching = false;
  }

  forget() {
    this.pages.clear();
    this.asides.clear();
    this.draw();
    for (const [row, element] of this.shown) fillRow(this, row, element);
  }

  say(text) {
    this.trouble.textContent = text;
    this.trouble.hidden = !text;
  }

  // Send an act after all that were sent before; gives the answer, or null where it was refused.
  act(fields) {
    this.sent = (this.sent ?? 0) + 1;
    const sent = inTurn(async () => {
      const answer = await post(`${this.url}/change`, { stream: this.stream, ...fields });
      const isPage = answer?.headers.get("Content-Type")?.startsWith("text/html");
      const change = await contentOf(answer, isPage ? "text" : "json");
      tellChanged();
      if (change === null)
        this.say(
          "The server does not answer. What you typed stands here: press Enter on it once more.",
        );
      else if (isPage && !answer.ok)
        this.say("The server could not do this. Load the page and try again.");
      else if (isPage) return change;
      else this.say(change.trouble ?? "");
      return isPage || change?.trouble ? null : change;
    });
    return sent.then((change) => {
      if (change === null || typeof change === "string") this.sent -= 1;
      return change;
    });
  }

  // What was typed here is newer than any rows that are under way.
  keep(row, place, text) {
    const number = Math.floor(row / PAGE);
    if (!this.pages.has(number)) this.pages.set(number, []);
    (this.pages.get(number)[row % PAGE] ??= [])[place] = text;
    this.typing = (this.typing ?? 0) + 1;
  }

  grow(count) {
    if (count <= this.count) return;
    this.count = count;
    for (const [row, element] of this.shown)
      element.querySelector(".row-number").textContent = row < count ? String(row + 1) : "+";
    this.draw();
  }

  take({ count, statistics }) {
    this.sent -= 1;
    if (this.sent) return; // more was typed meanwhile: its answer tells
    const shrunk = count < this.count;
    this.grow(count);
    this.count = count;
    if (shrunk) {
      for (const element of this.shown.values()) element.remove();
      this.shown.clear();
      this.draw();
    }
    statistics.forEach((column, place) => {
      for (const [key, text] of Object.entries(column)) {
        const row = this.box.querySelectorAll(`tfoot [data-statistic="${key}"]`)[place];
        if (row) row.textContent = text;
      }
    });
    this.drawer.querySelector("[data-shown=count]").textContent =
      `${grouped(count)} row${count === 1 ? "" : "s"}`;
    this.changed();
  }

  focused(target) {
    const row = target.closest("tbody tr")?.dataset.row;
    if (row === undefined) return;
    this.shown.get(this.row)?.querySelector(".row-number").setAttribute("tabindex", -1);
    this.row = Number(row);
    this.shown.get(this.row)?.querySelector(".row-number").setAttribute("tabindex", 0);
    this.mark(this.row);
    if (!this.tools.hidden) this.tools.querySelector("[data-shown=row]").textContent = this.row + 1;
  }

  mark(row) {
    for (const [other, element] of this.shown) element.classList.toggle("current", other === row);
  }

  // Bring a row into sight and go to one of its cells, or to its number.
  go(row, place) {
    document.activeElement?.blur?.(); // what is typed there is sent first
    const next = Math.min(Math.max(row, 0), this.rows - 1);
    this.bring(next);
    const element = this.shown.get(next);
    const target =
      place === null
        ? element?.querySelector(".row-number")
        : element?.querySelectorAll("td")[place]?.querySelector("input");
    (target ?? element?.querySelector(".row-number"))?.focus({ preventScroll: true });
    target?.select?.();
  }

  bring(row) {
    const head = this.box.querySelector("thead").offsetHeight;
    const foot = this.box.querySelector("tfoot").offsetHeight;
    if (this.rows * this.height > HIGHEST) {
      if (row < this.first || row > this.first + this.rows - this.beyond - 1)
        this.box.scrollTop = (row / Math.max(1, this.beyond)) * this.room;
    } else {
      const [top, room] = [row * this.height, this.box.clientHeight - head - foot - this.height];
      if (top < this.box.scrollTop) this.box.scrollTop = top;
      else if (top > this.box.scrollTop + room) this.box.scrollTop = top - room;
    }
    this.draw();
  }

  click(event) {
    const act = event.target.closest("[data-table]")?.dataset.table;
    if (event.target.matches(".row-number"))
      this.choose(Number(event.target.closest("tr").dataset.row));
    else if (act === "back") this.toRow({ act: "back", row: this.row });
    else if (act === "insert" || act === "remove") this.toRow({ act, row: this.row });
    else if (act === "fill")
      this.toRow({ act, row: this.row, ...this.fields("column", "start", "step", "count") });
    else if (act === "known")
      this.toRow({ act, row: this.row, last: this.lastRow, ...this.fields("column", "text") });
    else if (act === "column")
      this.act({ act }).then((html) => html && this.reload(html, "last head"));
  }

  fields(...names) {
    return Object.fromEntries(names.map((name) => [name, this.tools.elements[name].value]));
  }

  choose(row) {
    if (row >= this.count) return;
    this.row = row;
    this.tools.hidden = false;
    this.tools.querySelector("[data-shown=row]").textContent = row + 1;
    this.tools.elements.last.value = row + 1;
    this.mark(row);
    this.read(this.run, row);
  }

  get lastRow() {
    const last = Number(this.tools.elements.last.value) - 1;
    return Number.isInteger(last) ? last : this.row;
  }

  aside() {
    this.toRow({ act: "aside", row: this.row, last: this.lastRow, ...this.fields("reason") });
  }

  async toRow(fields) {
    const change = await this.act(fields);
    if (change === null) return;
    this.forget();
    this.take(change);
    this.tools.elements.reason.value = "";
  }

  // The cursor of a graph stands on a row of this run.
  at(row) {
    if (!this.box || document.activeElement?.matches("#drawer input")) return; // somebody types there
    this.bring(row);
    this.mark(row);
  }
}
