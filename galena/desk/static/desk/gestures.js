// Turns pointer, fingers, wheel and keys over the stack into what is meant: point, mark off, zoom,
// slide. Owns nothing on the screen. `where(x, y)` tells the part of the stack under a pixel. Gives
// a function that tells whether a hand is down on the stack.

const CLICK = 4; // pixels that a click may wander

export function attach(
  stack,
  { where, box, fromX, zoom, slide, draft, span, marker, hover, axis, key, axisKey },
) {
  const fingers = new Map();
  const at = (event) => {
    // in pixels of the stack, whatever element of it lies under the pointer
    const { left: first, top } = stack.getBoundingClientRect();
    return { x: event.clientX - first, y: event.clientY - top };
  };
  let held = null;
  let pinch = null;

  stack.addEventListener("pointerdown", (event) => {
    const part = where(at(event).x, at(event).y);
    const label = event.target.closest(".axis-label"); // a click on it is its own, a drag slides
    if (
      event.button ||
      !part ||
      (!label && event.target.closest("a, button, .note, .legend, .edge"))
    )
      return;
    if (!label) {
      stack.focus({ preventScroll: true });
      stack.setPointerCapture(event.pointerId);
    }
    fingers.set(event.pointerId, [at(event).x, at(event).y]);
    if (fingers.size === 2) {
      held = null;
      draft(null);
      pinch = { part, ...between(fingers) };
      return;
    }
    held = {
      part,
      x: at(event).x,
      y: at(event).y,
      from: fromX(at(event).x),
      lastX: at(event).x,
      lastY: at(event).y,
    };
  });
  stack.addEventListener("pointermove", (event) => {
    if (fingers.has(event.pointerId)) fingers.set(event.pointerId, [at(event).x, at(event).y]);
    if (pinch) {
      spread();
      return;
    }
    if (!held) {
      const part =
        event.target === stack || event.target.closest("canvas, svg")
          ? where(at(event).x, at(event).y)
          : null;
      if (part?.axis === "plot") hover(fromX(at(event).x), event.altKey);
      stack.dataset.over = part?.axis ?? "";
      return;
    }
    if (!held.dragged && Math.hypot(at(event).x - held.x, at(event).y - held.y) > CLICK) {
      held.dragged = true;
      stack.setPointerCapture(event.pointerId);
    }
    if (!held.dragged) return;
    if (held.part.axis === "plot") draft([held.from, inside(event)]);
    else slide(held.part, at(event).x - held.lastX, at(event).y - held.lastY);
    [held.lastX, held.lastY] = [at(event).x, at(event).y];
  });
  stack.addEventListener("pointerup", (event) => {
    fingers.delete(event.pointerId);
    if (pinch) {
      if (!fingers.size) pinch = null;
      return;
    }
    if (!held) return;
    const { part, dragged, from } = held;
    held = null;
    draft(null);
    if (part.axis !== "plot") return;
    if (dragged) span(from, inside(event), event.altKey, part.graph);
    else marker(from, event.altKey, part.graph);
  });
  stack.addEventListener("pointercancel", (event) => {
    fingers.delete(event.pointerId);
    held = pinch = null;
    draft(null);
  });
  stack.addEventListener("dblclick", (event) => {
    const part = where(at(event).x, at(event).y);
    if (part && part.axis !== "plot" && !event.target.closest("button, .note, .legend")) axis(part);
  });
  stack.addEventListener(
    "wheel",
    (event) => {
      const part = where(at(event).x, at(event).y);
      if (!part) return;
      event.preventDefault();
      const factor = Math.exp(
        Math.sign(event.deltaY) * Math.min(Math.abs(event.deltaY), 200) * 0.0015,
      );
      zoom(part, factor, at(event).x, at(event).y);
    },
    { passive: false },
  );
  stack.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey) return;
    const label = event.target.closest(".axis-label");
    if (event.target !== stack && !label) return;
    if (label ? axisKey(label, event) : key(event)) event.preventDefault();
  });

  function inside(event) {
    const { left: first, right: last } = box();
    return fromX(Math.min(Math.max(at(event).x, first), last));
  }

  // Two fingers: what lies between them stays between them.
  function spread() {
    const now = between(fingers);
    if (fingers.size !== 2 || !now.apart || !pinch.apart) return;
    zoom(pinch.part, pinch.apart / now.apart, now.x, now.y);
    slide(pinch.part, now.x - pinch.x, now.y - pinch.y);
    Object.assign(pinch, now);
  }

  return () => Boolean(held || pinch);
}

function between(fingers) {
  const [[x1, y1], [x2, y2] = [x1, y1]] = [...fingers.values()];
  return { x: (x1 + x2) / 2, y: (y1 + y2) / 2, apart: Math.hypot(x1 - x2, y1 - y2) };
}
