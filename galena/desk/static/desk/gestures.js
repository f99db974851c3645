// Turns pointer, wheel and keys over the stack into what is meant: point, mark off, zoom, slide.
// Owns nothing on the screen. `where(event)` tells the part under the pointer: plot, x or y.

const CLICK = 4; // pixels that a click may wander

export function attach(stack, { scale, zoom, slide, draft, span, marker, hover, key }) {
  let held = null;
  const where = (event) => {
    const { box } = scale();
    if (event.offsetX < box.left) return "y";
    return event.offsetY > box.bottom ? "x" : "plot";
  };

  stack.addEventListener("pointerdown", (event) => {
    if (event.button || !scale() || event.target.closest("a, button")) return;
    stack.focus({ preventScroll: true });
    stack.setPointerCapture(event.pointerId);
    held = { part: where(event), x: event.offsetX, y: event.offsetY, from: scale().fromX(event.offsetX), lastX: event.offsetX, lastY: event.offsetY };
  });
  stack.addEventListener("pointermove", (event) => {
    if (!scale()) return;
    if (!held) { if (where(event) === "plot") hover(scale().fromX(event.offsetX)); return; }
    if (Math.hypot(event.offsetX - held.x, event.offsetY - held.y) > CLICK) held.dragged = true;
    if (!held.dragged) return;
    if (held.part === "plot") draft([held.from, inside(event)]);
    else slide(held.part, event.offsetX - held.lastX, event.offsetY - held.lastY);
    [held.lastX, held.lastY] = [event.offsetX, event.offsetY];
  });
  stack.addEventListener("pointerup", (event) => {
    if (!held) return;
    const { part, dragged, from } = held;
    held = null;
    draft(null);
    if (part !== "plot") return;
    if (dragged) span(from, inside(event));
    else marker(from);
  });
  stack.addEventListener("pointercancel", () => { held = null; draft(null); });
  stack.addEventListener("wheel", (event) => {
    if (!scale()) return;
    event.preventDefault();
    const factor = Math.exp(Math.sign(event.deltaY) * Math.min(Math.abs(event.deltaY), 200) * 0.0015);
    const part = where(event);
    zoom(part === "plot" ? "both" : part, factor, event.offsetX, event.offsetY);
  }, { passive: false });
  stack.addEventListener("keydown", (event) => {
    if (event.target !== stack || event.ctrlKey || event.altKey || event.metaKey) return;
    if (key(event.key, event.shiftKey, event.code)) event.preventDefault();
  });

  function inside(event) {
    const { box, fromX } = scale();
    return fromX(Math.min(Math.max(event.offsetX, box.left), box.right));
  }
}
