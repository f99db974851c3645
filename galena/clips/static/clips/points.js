// The points that a card is drawn by: the ends of a known length, the corners of a rectangle.
// All places are pixels of the film; nothing here keeps anything.

// Where the corners lie before anybody has drawn any: from the lower left, against the clock.
const FIRST = [
  [0.3, 0.7],
  [0.7, 0.7],
  [0.7, 0.3],
  [0.3, 0.3],
];

export function points(card, { scale, plane, width, height }) {
  if (card === "scale") return scale ? [scale.slice(0, 2), scale.slice(2)] : [];
  if (card !== "plane") return [];
  return plane
    ? plane.corners.map(([x, y]) => [x, y])
    : FIRST.map(([x, y]) => [x * width, y * height]);
}

// What is drawn once one of the points was moved.
export function moved(card, drawn, place, to) {
  const places = points(card, drawn);
  places[place] = to;
  if (card === "scale") return { scale: places.flat(), scaleText: drawn.scaleText };
  return { plane: { corners: places, grid: [], sides: drawn.plane?.sides ?? [] } };
}

export function cornerFields(corners) {
  const fields = corners.flatMap(([x, y], place) => [
    [`x${place + 1}`, x],
    [`y${place + 1}`, y],
  ]);
  return Object.fromEntries(fields);
}

// The corners that stand in a form; null where it holds none.
export function typedCorners(form) {
  const value = (name) => form.querySelector(`[name=${name}]`).value;
  const corners = [1, 2, 3, 4].map((number) => [value(`x${number}`), value(`y${number}`)]);
  return corners.flat().every(Boolean) ? corners.map((corner) => corner.map(Number)) : null;
}
