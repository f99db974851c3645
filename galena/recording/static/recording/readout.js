// The large numbers over a run that forms. A number that gains or loses a sign or a digit moves
// nothing, not even its own other digits: what is missing is filled with spaces as wide as a digit.
// Owns the longest text of each number so far.

const FIGURE_SPACE = "\u2007"; // as wide as a digit and as a minus where digits are of one width
const USUAL = 6; // a sign, four digits and a point

const longest = new WeakMap();

export function padded(text, length) {
  return text.padStart(length, FIGURE_SPACE);
}

export function writeNumber(element, text) {
  const length = Math.max(longest.get(element) ?? USUAL, text.length);
  longest.set(element, length);
  element.textContent = padded(text, length);
}
