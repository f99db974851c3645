// The reading strip: what every graph and every run reads at the cursor, as the server said it.
import { filled, sharing } from "./fillings.js";
import { drawn } from "./legend.js";
import { typeset as symbol } from "./typeset.js";

export function strip(place, cursor, xLabel, markOf, layout) {
  const places = new Map(sharing(layout).map((one) => [one.symbol, one.place]));
  const x = part(typeset(xLabel), cursor.text, cursor.unit);
  const read = new Set(); // a quantity that two graphs show is read once
  const own = cursor.rows.filter(
    ({ symbol: name, number }) => !read.has(`${name} ${number}`) && read.add(`${name} ${number}`),
  );
  const rows = own.map((row) =>
    part(
      symbol(row.symbol),
      row.text,
      row.aside ? `${row.unit} (set aside)` : row.unit,
      row.number,
      (number) => filled(markOf(number), places.get(row.symbol) ?? null),
    ),
  );
  place.replaceChildren(x, ...rows.flatMap((row) => [" ", row]));
}

function typeset(label) {
  // the symbol of the x axis, as the server typeset it
  const whole = document.createElement("span");
  for (const child of label.children)
    if (!child.matches("[data-x-unit]")) whole.append(child.cloneNode(true));
  return whole;
}

function part(letter, value, unit, number, markOf) {
  const whole = document.createElement("span");
  whole.className = "read";
  const bold = document.createElement("b");
  bold.textContent = `${value} ${unit}`.trim();
  whole.append(letter ?? "");
  if (number) {
    const text = Object.assign(document.createElement("span"), {
      className: "visually-hidden",
      textContent: ` run ${number} `,
    });
    whole.append(" ", drawn(markOf(number)), text);
  }
  whole.append(" ", bold);
  return whole;
}
