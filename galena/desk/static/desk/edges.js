// The edges between stacked graphs: dragged, or moved with the arrow keys, they share the height
// between the graph above and the one below.

const LEAST = 0.15; // of the height that a graph has by itself
const STEP = 0.08;

export function attachEdges(elements, { shares, order, heightOf, repaint, keep }) {
  for (const edge of elements) {
    const above = Number(edge.dataset.after);
    const below = order[order.indexOf(above) + 1];
    let held = null;
    const move = (by) => {
      // by: a share
      const both = shares.get(above) + shares.get(below);
      const first = Math.min(Math.max(shares.get(above) + by, LEAST), both - LEAST);
      shares.set(above, first);
      shares.set(below, both - first);
      edge.setAttribute("aria-valuenow", Math.round((100 * first) / both));
      repaint();
    };
    edge.addEventListener("pointerdown", (event) => {
      if (event.button) return;
      event.stopPropagation();
      event.preventDefault();
      edge.focus();
      edge.setPointerCapture(event.pointerId);
      held = event.clientY;
    });
    edge.addEventListener("pointermove", (event) => {
      if (held === null) return;
      event.stopPropagation();
      const whole = [...shares.values()].reduce((sum, one) => sum + one, 0);
      move(((event.clientY - held) / heightOf()) * whole);
      held = event.clientY;
    });
    edge.addEventListener("pointerup", (event) => {
      if (held === null) return;
      event.stopPropagation();
      held = null;
      keep();
    });
    edge.addEventListener("keydown", (event) => {
      const by = { ArrowUp: -STEP, ArrowDown: STEP }[event.key];
      if (!by) return;
      event.preventDefault();
      event.stopPropagation();
      move(by);
      clearTimeout(edge.waiting);
      edge.waiting = setTimeout(keep, 400);
    });
  }
}
