// What the ledger draws over a sheet: that of the sheet in front stands in the ledger itself, that
// of a sheet beside it with the sheet (`own`).
const nothing = () => ({ spans: [], markers: [], curves: [], areas: [], notes: [], titles: {} });

export function overlayOf(section, own) {
  if (own) return JSON.parse(own.textContent);
  const here = document.getElementById("ledger")?.dataset.sheet === section.dataset.sheet;
  return here ? JSON.parse(document.getElementById("overlay").textContent) : nothing();
}
