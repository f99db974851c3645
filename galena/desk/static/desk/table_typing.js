// What is typed or pasted into the readings table: a head, a cell, or many rows at once.

export async function typedIn(table, field) {
  if (field.matches(".head")) {
    const html = await table.act({
      act: "head",
      column: field.closest("th").dataset.column,
      text: field.value,
    });
    if (html === null) {
      field.setAttribute("aria-invalid", "true");
      return;
    }
    field.removeAttribute("aria-invalid");
    field.defaultValue = field.value;
    const option = table.tools.querySelector(
      `option[value="${field.closest("th").dataset.column}"]`,
    );
    if (option) option.textContent = field.value;
    table.reload();
    return;
  }
  if (!field.matches(".cell")) return;
  const [row, place] = [Number(field.closest("tr").dataset.row), Number(field.dataset.place)];
  table.keep(row, place, field.value.trim());
  table.grow(row + 1); // the next row is there at once, for fast hands
  const change = await table.act({
    act: "cell",
    row,
    column: table.columns[place],
    text: field.value,
  });
  if (change === null) {
    field.setAttribute("aria-invalid", "true");
    return;
  }
  field.removeAttribute("aria-invalid");
  table.take(change);
}

export async function pasted(table, event) {
  const text = event.clipboardData.getData("text/plain");
  if (!table.typed || !/[\t\n\r;]/.test(text.trim())) return;
  event.preventDefault();
  const field = event.target.closest(".cell, .head");
  const row = field?.matches(".cell") ? Number(field.closest("tr").dataset.row) : 0;
  const place = field?.matches(".cell")
    ? Number(field.dataset.place)
    : Math.max(0, table.columns.indexOf(Number(field?.closest("th").dataset.column)));
  const html = await table.act({ act: "paste", row, place, text });
  if (html !== null) table.reload(html);
}
