// The teacher's Desk while it is shown: tells which sheet, which limits and which place are in front.
import { post } from "../shell/js/frame.js";
import { front } from "../desk/sheets.js";

const EVERY = 150; // ms
let told = "";

function now() {
  const sheet = front();
  if (!sheet) return null;
  return {
    sheet: String(sheet.id),
    x: sheet.cursor ? String(sheet.cursor.x) : "",
    ...(sheet.cursor?.free && { free: "yes" }),
    limits: JSON.stringify(sheet.view.own()),
  };
}

async function tell() {
  const shown = now();
  const written = JSON.stringify(shown);
  if (shown && written !== told && !document.hidden) {
    told = written;
    for (const { dataset } of document.querySelectorAll("[data-showing]"))
      await post(dataset.showing, shown);
  }
  setTimeout(tell, EVERY);
}
tell();
