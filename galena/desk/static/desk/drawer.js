// The readings drawer: a table of one run at a time.
import { renewPart } from "../shell/js/parts.js";
import { front, reloadSheets } from "./sheets.js";
import { Table } from "./table.js";

const desk = document.getElementById("desk");
const drawer = document.getElementById("drawer");
let table = null;
let settling = null;
export function showDrawer(open) {
  drawer.hidden = !open;
  for (const button of document.querySelectorAll(".to-readings"))
    button.setAttribute("aria-expanded", String(open));
}
function tableChanged() {
  // what was typed is seen in the graphs a moment later
  clearTimeout(settling);
  settling = setTimeout(() => {
    if (!front()?.shown.traces.length) reloadSheets();
    else document.body.dispatchEvent(new Event("runs-changed"));
  }, 120);
}
function renewTable() {
  table?.close();
  table = new Table(drawer, {
    changed: tableChanged,
    reload: (html, focus) => {
      if (html) htmx.swap("#drawer", html, { swapStyle: "innerHTML" });
      if (focus === "last head") [...drawer.querySelectorAll(".head")].at(-1)?.select();
      reloadSheets();
    },
    read: (run, row) => {
      const sheet = front();
      sheet?.reader.go({ row: { run, row } });
    },
  });
}
new MutationObserver(() => {
  if (drawer.firstElementChild) renewTable();
}).observe(drawer, { childList: true });
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-close-drawer]")) {
    showDrawer(false);
    const opener = event.target.closest("[data-close-drawer]").dataset.closeDrawer;
    (document.getElementById(opener) ?? document.querySelector(".to-readings"))?.focus();
  }
  if (!event.target.closest(".to-readings")) return;
  showDrawer(drawer.hidden);
  const first =
    front()?.shown.runs[0]?.number ?? document.querySelector("#rail .chip b")?.textContent;
  if (drawer.hidden) return;
  if (first) renewPart(`${desk.dataset.desk}/readings/${first}`, "#drawer", "innerHTML");
  else drawer.innerHTML = '<div class="drawer-head"><span>No run has readings yet.</span></div>';
});
document.body.addEventListener("table-begun", () => {
  reloadSheets();
  drawer.querySelector(".head")?.select();
});
document.body.addEventListener("table-changed", () => {
  table?.forget?.();
});
document.addEventListener("cursor", ({ detail: { cursor } }) => {
  const row =
    table?.box && !drawer.hidden && cursor.rows.find(({ number }) => number === table.run)?.row;
  if (Number.isInteger(row)) table.at(row);
});
if (new URLSearchParams(location.search).has("type")) {
  showDrawer(true);
  htmx
    .ajax("POST", `${desk.dataset.desk}/table`, { target: "#drawer", swap: "innerHTML" })
    .then(() => history.replaceState(null, "", location.pathname));
}
