// Fewer points for the same picture: the rule of galena.core.decimate.envelope, for readings that
// come while they are drawn. tests/js compares the two.

// Tell how many of ascending numbers are below a value, or not above it.
function countBelow(x, value, orAt) {
  let [lo, hi] = [0, x.length];
  while (lo < hi) {
    const middle = (lo + hi) >> 1;
    if (x[middle] < value || (orAt && x[middle] === value)) lo = middle + 1;
    else hi = middle;
  }
  return lo;
}

// Keep of each of so many columns the first and the last reading, and one with the lowest and one
// with the highest y; a y that is no number is neither. Few readings are given as they are.
export function envelope(x, y, columns) {
  if (x.length <= 4 * columns || columns < 1) return [x, y];
  const [lo, hi] = [x[0], x[x.length - 1]];
  const keep = new Set([0, x.length - 1]);
  const width = (hi - lo) / columns;
  for (let column = 0; column < columns; column++) {
    const first = countBelow(x, lo + column * width, false);
    const end = column === columns - 1 ? x.length : countBelow(x, lo + (column + 1) * width, false);
    if (end > first) keepColumn(keep, y, first, end);
  }
  const kept = [...keep].sort((a, b) => a - b);
  return [kept.map((i) => x[i]), kept.map((i) => y[i])];
}

function keepColumn(keep, y, first, end) {
  let [lowest, highest] = [-1, -1];
  for (let i = first; i < end; i++) {
    if (Number.isNaN(y[i])) continue;
    if (lowest < 0 || y[i] < y[lowest]) lowest = i;
    if (highest < 0 || y[i] > y[highest]) highest = i;
  }
  for (const i of [first, end - 1, lowest, highest]) if (i >= 0) keep.add(i);
}
