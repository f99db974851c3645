// A report that was handed in: its paragraphs, figures and numbers can be pointed at, and those
// that have a remark are marked.
// Owns the places on the paper; the server keeps only their names.

import { asKept } from "../shell/js/decimal_sign.js";

const paper = document.getElementById("paper");
const BLOCKS = "p, h1, h2, h3, h4, li, figure, table, blockquote, pre";

function places() {
  const blocks = [...paper.querySelectorAll(BLOCKS)].filter(
    (block) => !block.parentElement.closest("figure, table, li, blockquote"),
  );
  blocks.forEach((block, place) => (block.dataset.place = `block-${place + 1}`));
  const numbers = [...paper.querySelectorAll(".quoted")];
  numbers.forEach((number, place) => (number.dataset.place = `number-${place + 1}`));
  return [...blocks, ...numbers];
}

const all = places();
const remarks = () => document.getElementById("remarks");
const mayRemark = remarks().hasAttribute("data-may-remark");

function mark() {
  for (const place of all) {
    place.classList.remove("has-remark");
    place.querySelector(":scope > .remark-sign")?.remove();
  }
  for (const remark of remarks().querySelectorAll(".remark")) {
    const place = paper.querySelector(`[data-place="${remark.dataset.place}"]`);
    if (!place) continue;
    place.classList.add("has-remark");
    const sign = document.createElement("sup");
    sign.className = "remark-sign";
    sign.textContent = remark.querySelector(".remark-number").textContent;
    (place.matches("table, figure")
      ? (place.querySelector("figcaption, caption") ?? place)
      : place
    ).append(sign);
  }
}

function choose(place) {
  const form = document.getElementById("new-remark");
  if (!form) return;
  const quote = asKept(place.textContent).trim().replace(/\s+/g, " ").slice(0, 100);
  form.elements.place.value = place.dataset.place;
  form.elements.quote.value = quote;
  document.getElementById("remark-to").textContent = `“${quote.slice(0, 60)}”`;
  for (const other of all) other.classList.toggle("is-chosen", other === place);
  form.elements.text.focus();
}

if (mayRemark) {
  for (const place of all) place.setAttribute("tabindex", "0");
  paper.addEventListener("click", (event) => {
    const place = event.target.closest("[data-place]");
    if (place) choose(place);
  });
  paper.addEventListener("keydown", (event) => {
    const place = event.target.closest("[data-place]");
    if (event.key !== "Enter" || !place) return;
    event.preventDefault();
    choose(place);
  });
}

// A remark leads to its place.
document.addEventListener("click", (event) => {
  const remark = event.target.closest(".remark");
  if (!remark || event.target.closest("button")) return;
  const place = paper.querySelector(`[data-place="${remark.dataset.place}"]`);
  place?.scrollIntoView({ block: "center" });
});
document.addEventListener("htmx:afterSettle", mark);
mark();

export {};
