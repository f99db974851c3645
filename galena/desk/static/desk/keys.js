// The keys of a sheet: on its plot for the cursor, spans and the view, on the label of an axis for
// that axis. Each tells whether the key was one of its own.
import { say } from "../shell/js/frame.js";

// On the label of an axis the keys are for that axis alone.
export function axisKey(sheet, label, { key, code, shiftKey }) {
  const along = label.matches(".along");
  const graph = along ? sheet.layout.graphs[0].id : Number(label.dataset.graph);
  const part = { axis: along ? "x" : label.dataset.side, graph };
  const { left, right, top, bottom } = sheet.stack.scales.get(graph).box;
  const step = { ArrowLeft: [1, 0], ArrowRight: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[key];
  if (code === "Digit0" || code === "Numpad0") sheet.view.allOf(part, sheet.shown.whole, shiftKey);
  else if (key === "+" || key === "-")
    sheet.view.zoom(
      part,
      sheet.scalesNow(),
      key === "+" ? 0.8 : 1.25,
      (left + right) / 2,
      (top + bottom) / 2,
    );
  else if (step)
    sheet.view.slide(
      part,
      sheet.scalesNow(),
      (step[0] * (right - left)) / 10,
      (step[1] * (bottom - top)) / 10,
    );
  else return false;
  return true;
}

export function plotKey(sheet, event) {
  const { key, code, shiftKey, altKey } = event;
  const limits = sheet.view.limits(sheet.shown.whole);
  if (code === "Digit0" || code === "Numpad0") sheet.view.all(sheet.shown.whole, shiftKey);
  else if (key === "ArrowLeft" || key === "ArrowRight") {
    const way = key === "ArrowLeft" ? -1 : 1;
    if (altKey)
      sheet.point(
        (sheet.cursor?.x ?? limits.x[0]) + (way * (limits.x[1] - limits.x[0])) / 200,
        true,
      );
    else sheet.reader.step(way * (shiftKey ? 10 : 1));
  } else if (key === "Home" || key === "End") sheet.point(key === "Home" ? -1e300 : 1e300);
  else if (key === "PageUp" || key === "PageDown")
    sheet.view.slide(
      { axis: "x" },
      sheet.scalesNow(),
      ((sheet.any.box.right - sheet.any.box.left) / 5) * (key === "PageUp" ? 1 : -1),
      0,
    );
  else if (key === "m") sheet.reader.atCursor("marker");
  else if (key === "n") sheet.reader.atCursor("note");
  else if (key === "Enter") sheet.reader.atCursor("mark off");
  else if (key === "Escape" && sheet.begun !== null) {
    sheet.begun = null;
    sheet.ruler.draft = null;
    say("");
    sheet.repaint();
  } else if (key === "+" || key === "-") {
    const { left, right, top, bottom } = sheet.any.box;
    sheet.view.zoom(
      { axis: "plot", graph: sheet.layout.graphs[0].id },
      sheet.scalesNow(),
      key === "+" ? 0.8 : 1.25,
      (left + right) / 2,
      (top + bottom) / 2,
    );
  } else return false;
  return true;
}
