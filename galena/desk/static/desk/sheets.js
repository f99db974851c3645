// The sheets in sight, and which of them is active: its ledger is shown, and keys go to it.
import { contentOf } from "../shell/js/answers.js";
import { looksIn, post, say } from "../shell/js/frame.js";
import { answered, inTurn } from "../shell/js/in_turn.js";
import { renewPart, tellChanged } from "../shell/js/parts.js";
import { loadMarks } from "../shell/js/painter.js";
import { Sheet } from "./sheet.js";

const markOf = loadMarks();
export const ledger = () => document.getElementById("ledger");
let sheets = [];
let active = null;

// A change is posted; the answer is the ledger or the sheets anew. One after the other, so that
// the newest answer is the last.
export function change(url, fields, what) {
  if (looksIn()) {
    say(looksIn());
    return answered();
  }
  return inTurn(() => send(url, fields, what)).catch(() => null);
}

async function send(url, fields, what) {
  const answer = await post(url, fields);
  const shown = answer?.ok ? await contentOf(answer, "text") : null;
  tellChanged();
  if (shown === null) {
    say("The server did not take this change. Load the page again and repeat it.");
    return;
  }
  htmx.swap(what === "sheets" ? "#sheets" : "#ledger", shown, { swapStyle: "outerHTML" });
}

function activate(sheet) {
  if (active === sheet) return;
  active = sheet;
  for (const other of sheets) other.section.dataset.active = other === sheet;
  if (Number(ledger().dataset.sheet) !== sheet.id) renewLedger(sheet);
}

export const renewLedger = (sheet) => renewPart(sheet.section.dataset.ledger, "#ledger");

export const front = () => active;
export const all = () => sheets;
export const sheetOf = (id) => sheets.find((sheet) => sheet.id === Number(id));
export const reloadSheets = () =>
  renewPart(document.getElementById("desk").dataset.sheets, "#sheets");

let held = null; // the <section> that the sheets belong to
export function renew(reopen) {
  const section = document.getElementById("sheets");
  if (!section || !ledger()) return; // one of them is on its way
  if (section !== held) {
    held = section;
    const [before, focused] = [new Map(sheets.map((sheet) => [sheet.id, sheet])), active?.id];
    for (const sheet of sheets) sheet.close();
    sheets = [...section.querySelectorAll(".sheet")].map(
      (sheet) => new Sheet(sheet, { markOf, change, active: activate }),
    );
    active = null;
    const next = sheetOf(focused) ?? sheetOf(section.dataset.front) ?? sheets[0];
    for (const sheet of sheets) {
      const old = before.get(sheet.id);
      if (old) sheet.shown.takeFrom(old.shown);
      sheet.fetch();
      if (old) sheet.reader.takeFrom(old.reader);
    }
    if (next) {
      active = next;
      for (const sheet of sheets) sheet.section.dataset.active = sheet === next;
    }
  }
  reopen();
  const { sheet } = ledger().dataset;
  // An answer to what was done on one sheet may come when another is active already.
  if (active && Number(sheet) !== active.id) renewLedger(active);
  sheets
    .find(({ id }) => id === Number(sheet))
    ?.show(JSON.parse(document.getElementById("overlay").textContent));
}
