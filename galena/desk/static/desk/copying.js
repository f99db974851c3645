// The rows of the table in the drawer, copied for a spreadsheet: all of them, or those chosen.
// Owns nothing: what is copied comes from the server, as it is written into files, but with the
// decimal sign that the person reads, for their spreadsheet reads the same.
import { contentAt } from "../shell/js/answers.js";
import { asRead } from "../shell/js/decimal_sign.js";

const MOST = 100_000; // rows that a clipboard is asked to hold

async function lines(address) {
  const content = await contentAt(address, "text");
  if (content === null) throw new Error("This run cannot be read now.");
  const all = content.replace(/^\ufeff/, "").split("\r\n");
  return all.filter((line) => line !== "" && !line.startsWith("# "));
}

// From a row to a row, counted from 1, with the heads over them.
async function rows(address, first, last) {
  const [head, ...body] = await lines(address);
  const chosen = body.slice(first - 1, last);
  if (chosen.length > MOST)
    throw new Error("These are too many rows to copy. Take a file instead.");
  return { text: [head, ...chosen].join("\n"), count: chosen.length };
}

document.addEventListener("click", async (event) => {
  const button = event.target.closest("[data-copy]");
  if (!button) return;
  const line = document.querySelector("#drawer [data-shown=copied]");
  const tools = document.getElementById("row-tools");
  const row = Number(tools?.querySelector("[data-shown=row]").textContent);
  const typed = /** @type {HTMLInputElement} */ (tools?.querySelector("[name=last]"))?.value;
  const [first, last] =
    button.dataset.copy === "rows" ? [row, Number(typed) || row] : [1, Infinity];
  try {
    const { text, count } = await rows(button.dataset.address, first, last);
    await navigator.clipboard.writeText(asRead(text));
    line.textContent = `${count} row${count === 1 ? "" : "s"} copied: paste them into a spreadsheet.`;
  } catch (error) {
    line.textContent = `Nothing was copied. ${error.message}`;
  }
});
