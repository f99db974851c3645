// The labels, titles and remarks of a sheet, which are elements over its picture.
import { rem } from "../shell/js/axes.js";
import { grouped } from "../shell/js/numbers.js";
import { isNumbered, SIDES } from "./sides.js";

// Say which readings in sight a graph cannot show.
function without(sheet, graph) {
  const sum = (name) =>
    sheet.shown.traces.reduce(
      (total, trace) => total + (trace.graph === graph ? trace[name] : 0),
      0,
    );
  const [unseen, gaps] = [sum("unseen"), sum("gaps")];
  const parts = [
    unseen &&
      `${grouped(unseen)} ${unseen === 1 ? "reading at zero or below has" : "readings at zero or below have"} no place here`,
    gaps && `${grouped(gaps)} row${gaps === 1 ? "" : "s"} without a number`,
    sheet.shown.whole?.graphs.get(graph)?.trouble,
  ];
  return parts.filter(Boolean).join("; ");
}

// The labels, titles and edges are elements: they are moved to where the graphs lie.
export function label(sheet, scales) {
  const size = rem();
  const put = (element, style) => {
    if (element) {
      element.hidden = false;
      for (const [name, value] of Object.entries(style))
        element.style[name] = value === null ? "" : `${value}px`;
    }
  };
  const find = (selector, id) => sheet.section.querySelector(`${selector}[data-graph="${id}"]`);
  for (const graph of sheet.layout.graphs) {
    const { box } = scales.get(graph.id);
    for (const side of SIDES) {
      const name = find(`.axis-label.${side}`, graph.id);
      if (!isNumbered(graph, side)) {
        name.hidden = true;
        continue;
      }
      put(name, {
        top: (box.top + box.bottom) / 2,
        maxHeight: box.bottom - box.top,
        [side === "left" ? "left" : "right"]:
          0.1 * size + (side === "right" ? sheet.stack.rightWidth - sheet.stack.thirdOff : 0),
      });
    }
    const title = find(".graph-title", graph.id);
    if (graph.residual)
      title.firstElementChild.textContent =
        graph.title ||
        sheet.preview?.residuals.find((moved) => moved.graph === graph.id)?.title ||
        sheet.overlay.titles[graph.id] ||
        "";
    if (graph.title || graph.residual) put(title, { top: box.top - 1.5 * size, left: box.left });
    const text = without(sheet, graph.id);
    const note = find(".unseen", graph.id);
    note.hidden = !text;
    if (text) {
      note.textContent = text;
      put(note, { top: box.bottom - 1.7 * size, left: box.left + 8 });
    }
    put(sheet.section.querySelector(`.edge[data-after="${graph.id}"]`), {
      top: box.bottom + 0.1 * size,
      left: box.left,
      width: box.right - box.left,
    });
  }
  const along = sheet.section.querySelector(".axis-label.along");
  put(along, { left: (sheet.stack.frame.left + sheet.stack.frame.right) / 2, bottom: 0 });
  const unit = along.querySelector("[data-x-unit]");
  const text = sheet.stack.inHours ? " / h:min" : unit.dataset.xUnit && ` / ${unit.dataset.xUnit}`;
  if (unit.textContent !== text) unit.textContent = text;
}
