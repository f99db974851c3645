// Symbols of quantities cut into what is typeset alike, as core/symbols.py cuts them.
const PARTS =
  /(?:(ln(?!\p{L})|pH(?![\p{L}\d])|(?<!\d)\/[^)]*)|((?![¹²³⁰⁴-⁹])\p{L}[\p{L}\d]*))(?:_([\p{L}\d_]+))?/gu;

// Pairs of kind and text: "symbol" (italic), "sub", and "" for what is upright.
export function parts(symbol) {
  const cut = [];
  let end = 0;
  for (const match of symbol.matchAll(PARTS)) {
    if (match.index > end) cut.push(["", symbol.slice(end, match.index)]);
    cut.push(match[1] ? ["", match[1]] : ["symbol", match[2]]);
    if (match[3]) cut.push(["sub", match[3]]);
    end = match.index + match[0].length;
  }
  if (end < symbol.length) cut.push(["", symbol.slice(end)]);
  return cut;
}
