// The lowest and the highest reading in each column of pixels, of readings that come while they are
// drawn: kept for blocks of readings, so that a picture of a long run costs as much as of a short one.
// Gets arrays, gives arrays; computes nothing that anyone reads off.

const BLOCK = 64; // readings

// Tell how many of ascending numbers are below a value.
function countBelow(x, value) {
  let [lo, hi] = [0, x.length];
  while (lo < hi) {
    const middle = (lo + hi) >> 1;
    if (x[middle] < value) lo = middle + 1;
    else hi = middle;
  }
  return lo;
}

export class Extremes {
  constructor() {
    this.lows = [];
    this.highs = [];
  }

  // Take in the readings that are new: `y` are all of them, what was taken in before unchanged.
  keepUp(y) {
    for (let first = this.lows.length * BLOCK; first + BLOCK <= y.length; first += BLOCK) {
      const [low, high] = within(y, first, first + BLOCK, [Infinity, -Infinity]);
      this.lows.push(low);
      this.highs.push(high);
    }
  }

  // The lowest and the highest of the readings from one to before another; numbers only.
  of(y, first, end) {
    const from = Math.ceil(first / BLOCK);
    const until = Math.min(Math.floor(end / BLOCK), this.lows.length);
    if (from >= until) return within(y, first, end, [Infinity, -Infinity]);
    let [low, high] = within(y, first, from * BLOCK, [Infinity, -Infinity]);
    for (let block = from; block < until; block++) {
      if (this.lows[block] < low) low = this.lows[block];
      if (this.highs[block] > high) high = this.highs[block];
    }
    return within(y, until * BLOCK, end, [low, high]);
  }
}

function within(y, first, end, [low, high]) {
  for (let i = first; i < end; i++) {
    if (y[i] < low) low = y[i];
    if (y[i] > high) high = y[i];
  }
  return [low, high];
}

// Split the readings into so many columns of one width: the middle of each that has a reading, with
// its lowest and highest; NaN where none of them is a number. null: they are few enough for a line.
export function columnsOf(x, y, extremes, columns) {
  if (x.length <= 4 * columns || columns < 1) return null;
  extremes.keepUp(y);
  const [lo, hi] = [x[0], x[x.length - 1]];
  const width = (hi - lo) / columns;
  const shown = { x: [], lows: [], highs: [] };
  let first = 0;
  for (let column = 0; column < columns; column++) {
    const end = column === columns - 1 ? x.length : countBelow(x, lo + (column + 1) * width);
    if (end <= first) continue;
    const [low, high] = extremes.of(y, first, end);
    shown.x.push(lo + (column + 0.5) * width);
    shown.lows.push(low <= high ? low : NaN);
    shown.highs.push(low <= high ? high : NaN);
    first = end;
  }
  return shown;
}
