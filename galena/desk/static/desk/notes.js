// Notes on the graphs: words with a leader to the place in the data that they are about.
// The words are moved by mouse, finger or arrow keys; Enter changes them, Delete removes them.
import { rem } from "../shell/js/axes.js";
import { COLOURS } from "../shell/js/colours.js";

export class Notes {
  constructor(elements, { change, write }) {
    this.notes = elements.map((element) => {
      const { x, y, dx, dy } = element.dataset;
      const note = {
        element,
        url: element.dataset.url,
        graph: Number(element.dataset.graph),
        side: element.dataset.side,
        x: Number(x),
        y: Number(y),
        dx: Number(dx),
        dy: Number(dy),
      };
      element.addEventListener("pointerdown", (event) => this.grab(event, note));
      element.addEventListener("pointermove", (event) => this.drag(event, note));
      element.addEventListener("pointerup", (event) => this.drop(event, note));
      element.addEventListener("keydown", (event) => this.key(event, note));
      element.addEventListener("dblclick", () => {
        if (!element.matches(".finding")) write(note);
      });
      return note;
    });
    this.repaint = () => {}; // told by the sheet
    this.change = change;
    this.write = write;
  }

  // The words and places of findings follow what they are about.
  take(notes) {
    for (const { id, text, html, x, y } of notes) {
      const note = this.notes.find(({ element }) => Number(element.dataset.note) === id);
      if (!note) continue;
      Object.assign(note, { x, y });
      const words = note.element.querySelector("bdi");
      if (note.shownHtml !== html) words.innerHTML = note.shownHtml = html; // the server has escaped it
      note.element.setAttribute(
        "aria-label",
        `Finding: ${text}. Arrow keys move it, Delete takes it off the graph.`,
      );
    }
  }

  place(stack, context) {
    this.stack = stack;
    const size = rem();
    for (const note of this.notes) {
      const scale = stack.scales.get(note.graph)?.[note.side] ?? stack.scales.get(note.graph)?.left;
      const [x, y] = [scale.x(note.x), scale.y(note.y)];
      const { box } = scale;
      const seen =
        x >= box.left - 1 && x <= box.right + 1 && y >= box.top - 1 && y <= box.bottom + 1;
      note.element.hidden = !seen;
      if (!seen) continue;
      const { offsetWidth: width, offsetHeight: height } = note.element;
      const left = Math.max(
        box.left,
        Math.min(x + note.dx * size - (note.dx < 0 ? width : 0), box.right - width),
      );
      const top = Math.max(
        box.top,
        Math.min(y - note.dy * size - height / 2, stack.height - height),
      );
      note.element.style.left = `${left}px`;
      note.element.style.top = `${top}px`;
      const from = x < left ? left : x > left + width ? left + width : x;
      const to = y < top ? top : y > top + height ? top + height : y;
      context.strokeStyle = COLOURS.soft;
      context.lineWidth = 1;
      context.beginPath();
      context.moveTo(from, to);
      context.lineTo(x, y);
      context.stroke();
      context.fillStyle = COLOURS.soft;
      context.beginPath();
      context.arc(x, y, 2.2, 0, 7);
      context.fill();
    }
  }

  grab(event, note) {
    if (event.button) return;
    event.stopPropagation();
    note.element.setPointerCapture(event.pointerId);
    note.held = { x: event.clientX, y: event.clientY, dx: note.dx, dy: note.dy };
  }

  drag(event, note) {
    if (!note.held) return;
    event.stopPropagation();
    note.dx = note.held.dx + (event.clientX - note.held.x) / rem();
    note.dy = note.held.dy - (event.clientY - note.held.y) / rem();
    note.held.moved = true;
    this.repaint();
  }

  drop(event, note) {
    event.stopPropagation();
    const { held } = note;
    note.held = null;
    if (held?.moved) this.change(note.url, { dx: note.dx, dy: note.dy });
  }

  key(event, note) {
    const by = {
      ArrowLeft: [-0.5, 0],
      ArrowRight: [0.5, 0],
      ArrowUp: [0, 0.5],
      ArrowDown: [0, -0.5],
    }[event.key];
    if (event.key === "Enter") {
      if (!note.element.matches(".finding")) this.write(note);
    } else if (event.key === "Delete" || event.key === "Backspace")
      this.change(note.url, { remove: 1 });
    else if (by) {
      note.dx += by[0];
      note.dy += by[1];
      this.repaint();
      clearTimeout(note.waiting);
      note.waiting = setTimeout(() => this.change(note.url, { dx: note.dx, dy: note.dy }), 500);
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
}
