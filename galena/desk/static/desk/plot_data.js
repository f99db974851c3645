// What is drawn in one graph: its readings, with the curves and areas laid over them. Pure: tests/js
// looks at it without a browser.

const graphOf = (layout, id) => layout.graphs.find((graph) => graph.id === id);
const sidesOf = (graph) => new Map(graph.traces.map(({ quantity, side }) => [quantity, side]));

// Curves of the graph's quantities, each with its axis; one that a hand moves as it lies now.
export function curvesOf(layout, overlay, preview, id, lookedAt = []) {
  const graph = graphOf(layout, id);
  if (graph.residual) return [];
  const sides = sidesOf(graph);
  const laid = (curve) =>
    curve.id === preview?.id ? { ...curve, parts: preview.parts, hand: true } : curve;
  return [...overlay.curves, ...lookedAt]
    .filter(({ quantity }) => sides.has(quantity))
    .map((curve) => ({ curve: laid(curve), side: sides.get(curve.quantity) }));
}

// Shaded areas of the graph's quantities, each with its axis.
export function areasOf(layout, overlay, id) {
  const graph = graphOf(layout, id);
  if (graph.residual) return [];
  const sides = sidesOf(graph);
  return overlay.areas
    .filter(({ quantity }) => sides.has(quantity))
    .map((area) => ({ area, side: sides.get(area.quantity) }));
}

// Readings of the graph; while a hand moves a model, its residuals move along.
export function tracesOf(traces, preview, id) {
  const moved = preview?.residuals.find(({ graph }) => graph === id);
  return traces
    .filter((trace) => trace.graph === id)
    .map((trace) =>
      moved && trace.kind === "points"
        ? { ...trace, ...moved, n: moved.x.length, uY: undefined }
        : trace,
    );
}
