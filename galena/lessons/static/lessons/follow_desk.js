// A Desk that is shown by the teacher: follows its sheet, its limits and its cursor.
import { listen } from "../shell/js/live.js";
import { renewPart } from "../shell/js/parts.js";
import { all, front } from "../desk/sheets.js";

const { dataset } = document.getElementById("shown-desk");
const desk = document.getElementById("desk");
let last = null;
let asked = ""; // the sheet that is on its way

function follow(shown) {
  last = shown;
  const sheet = front();
  if (!sheet) return;
  if (shown.sheet && sheet.id !== shown.sheet) {
    if (asked === shown.sheet) return;
    asked = shown.sheet;
    renewPart(`${desk.dataset.sheets}?front=${shown.sheet}`, "#sheets").finally(() => (asked = ""));
    return;
  }
  sheet.view.follow(shown.limits);
  if (shown.x !== null && sheet.cursor?.x !== shown.x) sheet.point(shown.x, shown.free);
}

listen(dataset.events, {
  shown: follow,
  lesson: ({ what }) => {
    if (what === "desk" || what === "ended") location.assign("/lesson");
  },
});
new MutationObserver(() => {
  if (last) setTimeout(() => all().length && follow(last));
}).observe(desk, { childList: true });
