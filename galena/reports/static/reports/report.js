// The Report: the page or its text is shown; a number from the right is put in at the cursor.
// Listens to clicks; Ctrl+S saves. Leaving with unsaved text is asked about.

let saved = null;
const text = () => document.getElementById("text");
const typed = () => `${document.getElementById("title").value}\n${text().value}`;

function show(writing) {
  document.getElementById("writing").hidden = !writing;
  document.getElementById("paper").hidden = writing;
  document.getElementById("see-page").setAttribute("aria-pressed", String(!writing));
  document.getElementById("see-writing").setAttribute("aria-pressed", String(writing));
  if (writing) text().focus();
}

function begin() {
  const refused = document.getElementById("report").dataset.writing === "yes";
  if (!refused) saved = typed();
  if (refused) show(true);
}

document.addEventListener("click", (event) => {
  if (event.target.closest("#see-page")) {
    if (typed() === saved) show(false);
    else document.getElementById("writing").requestSubmit();
  }
  if (event.target.closest("#see-writing")) show(true);
  const put = event.target.closest("[data-put]");
  if (!put) return;
  show(true);
  const box = text();
  const own = "ownLine" in put.dataset ? "\n\n" : "";
  box.setRangeText(own + put.dataset.put + own, box.selectionStart, box.selectionEnd, "end");
  box.focus();
});
document.addEventListener("keydown", (event) => {
  if ((event.ctrlKey || event.metaKey) && event.key === "s") {
    event.preventDefault();
    document.getElementById("writing").requestSubmit();
  }
});
document.addEventListener("htmx:afterSettle", begin);
addEventListener("beforeunload", (event) => {
  if (typed() !== saved) event.preventDefault();
});
begin();
