// Two quantities of one run in one graph never look alike: the run gives colour and shape, the
// place of the quantity in its graph the filling of the marks and the dashes of the lines.
const DASHES = [[], [7, 4], [2, 3], [10, 3, 2, 3], [4, 2], [12, 4], [1, 2], [6, 2, 2, 2]];

// Give the place of a quantity among those of its graph; null where it is alone there.
export function placeIn(layout, graph, quantity) {
  const traces = layout.graphs.find(({ id }) => id === graph)?.traces ?? [];
  if (traces.length < 2) return null;
  return traces.findIndex((trace) => trace.quantity === quantity);
}

// Give the mark of a run as it is for a quantity in a graph.
export function filled(mark, place) {
  return place === null ? mark : { ...mark, dash: DASHES[place % DASHES.length], filling: place };
}

// Give the quantities that share a graph with others, each once, with their places.
export function sharing(layout) {
  const rows = new Map();
  for (const { traces, residual } of layout.graphs)
    if (traces.length > 1 && !residual)
      traces.forEach(({ quantity, symbol }, place) => {
        if (!rows.has(quantity)) rows.set(quantity, { quantity, symbol, place });
      });
  return [...rows.values()];
}
