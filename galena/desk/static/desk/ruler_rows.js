// Spans that overlap stand in rows on the ruler.
const MOST = 3;
export const ROW = 22; // pixels from one row to the next

// Give the row of each span by its id, the first free one in the order of their beginnings.
export function rowsOf(spans) {
  const ends = []; // where the last span of each row ends
  const rows = new Map();
  for (const span of [...spans].sort((a, b) => a.lo - b.lo || b.hi - a.hi)) {
    let row = ends.findIndex((end) => end <= span.lo);
    if (row < 0) row = Math.min(ends.length, MOST - 1);
    ends[row] = Math.max(ends[row] ?? -Infinity, span.hi);
    rows.set(span.id, row);
  }
  return { rows, count: Math.max(1, ends.length) };
}
