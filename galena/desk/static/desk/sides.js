// The axes of a graph: left, right, and a third one beside the right one. Pure.

export const SIDES = ["left", "right", "third"];
export const has = (graph, side) => graph.traces.some((trace) => trace.side === side);

// The left axis has its numbers also where nothing is on any axis.
export const isNumbered = (graph, side) =>
  has(graph, side) || (side === "left" && !SIDES.some((other) => has(graph, other)));
