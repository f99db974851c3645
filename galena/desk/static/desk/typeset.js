// Symbols of quantities as elements.
import { parts } from "../shell/js/symbols.js";

export function typeset(text) {
  const whole = document.createElement("span");
  for (const [kind, piece] of parts(text)) {
    const element = document.createElement({ "symbol": "i", "sub": "sub", "": "span" }[kind]);
    if (kind === "symbol") element.className = "symbol";
    element.textContent = piece;
    whole.append(element);
  }
  return whole;
}
