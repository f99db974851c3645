// The findings of a span while its ends are dragged.
import { contentAt } from "../shell/js/answers.js";

// While a span is dragged its findings follow: one request under way, the latest ends next.
export async function previewSpan(sheet, id, lo, hi) {
  sheet.ends = { lo, hi };
  if (sheet.peeking) return;
  sheet.peeking = true;
  while (sheet.ends) {
    const ends = sheet.ends;
    sheet.ends = null;
    const preview = await contentAt(
      `${sheet.urlOf("spans")}/${id}/peek?${new URLSearchParams(ends)}`,
    );
    const table = document.querySelector(`#ledger [data-rows="${id}"]`);
    if (!preview || !table || !sheet.ruler.held) continue; // it was let go: its ledger is on its way
    table.innerHTML = preview.rows; // as the server renders them in the ledger
    const moved = new Set(preview.curves.map((one) => one.id));
    sheet.overlay.curves = [
      ...sheet.overlay.curves.filter((one) => !moved.has(one.id)),
      ...preview.curves,
    ];
    sheet.repaint();
  }
  sheet.peeking = false;
}
