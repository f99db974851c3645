// The elements of a row of the readings table, and what stands in them.
import { asRead } from "../shell/js/decimal_sign.js";

export const PAGE = 200; // rows that come with one request

export function makeRow(table, row) {
  const element = document.createElement("tr");
  element.dataset.row = String(row);
  element.setAttribute("aria-rowindex", String(row + 1));
  const head = document.createElement("th");
  head.scope = "row";
  const button = Object.assign(document.createElement("button"), {
    className: "quiet row-number",
    textContent: row < table.count ? String(row + 1) : "+",
    tabIndex: row === table.row ? 0 : -1,
  });
  button.setAttribute("aria-label", `Row ${row + 1}`);
  head.append(button);
  element.append(head);
  table.columns.forEach((key, place) => {
    const cell = document.createElement("td");
    if (key) {
      const field = Object.assign(document.createElement("input"), {
        className: "cell",
        maxLength: 40,
        autocomplete: "off",
        inputMode: "decimal",
      });
      field.dataset.place = String(place);
      field.setAttribute("aria-label", `Row ${row + 1}, column ${place + 1}`);
      cell.append(field);
    }
    element.append(cell);
  });
  fillRow(table, row, element);
  return element;
}

export function fillRow(table, row, element) {
  const texts = table.pages.get(Math.floor(row / PAGE))?.[row % PAGE];
  const reason = table.asides.get(row);
  element.classList.toggle("aside", reason !== undefined);
  element.title = reason === undefined ? "" : `set aside: ${reason}`;
  table.columns.forEach((key, place) => {
    const cell = element.children[place + 1];
    const field = cell.querySelector("input");
    const text = texts?.[place] ?? (row < table.count && !texts ? "…" : "");
    if (!field) {
      if (cell.textContent !== text) cell.textContent = text;
      return;
    }
    field.readOnly = text === "…";
    if (document.activeElement === field || field.getAttribute("aria-invalid")) return;
    field.value = text === "…" ? "" : asRead(text);
    field.defaultValue = field.value;
  });
}
