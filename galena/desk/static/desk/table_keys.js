// The keys of the readings table: from row to row, and out of a cell that was typed in.

export function tableKey(table, event) {
  const { target, key } = event;
  if (target.matches(".head") && key === "Enter") {
    event.preventDefault();
    table.go(0, 0);
    return;
  }
  const element = target.closest("tbody tr");
  if (!element) return;
  const row = Number(element.dataset.row);
  const place = target.matches(".cell") ? Number(target.dataset.place) : null;
  const step = {
    ArrowUp: -1,
    ArrowDown: 1,
    PageUp: -table.inSight + 1,
    PageDown: table.inSight - 1,
  }[key];
  if (step) {
    event.preventDefault();
    table.go(row + step, place);
    return;
  }
  if (key === "Enter" && place !== null) {
    // on to the next row, where this one was begun
    event.preventDefault();
    table.go(row + 1, table.begunAt ?? place);
  } else if (key === "Tab" && !event.shiftKey && place !== null) table.begunAt ??= place;
  else if (key === "Escape" && place !== null) {
    target.value = target.defaultValue;
    target.removeAttribute("aria-invalid");
    table.say("");
  }
  if (key !== "Tab") table.begunAt = key === "Enter" ? undefined : table.begunAt;
}
