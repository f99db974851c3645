// Owns typing a formula: symbols that fit are offered below the line, and insertions are put at the
// caret. Listens to the formula's field and to buttons with data-insert; works nothing out.

const field = document.getElementById("formula");
const list = document.getElementById("completions");
const offers = JSON.parse(document.getElementById("offers").textContent);
const WORD = /[\p{L}][\p{L}\p{N}_]*$/u;
const MOST = 8;
let fitting = [];
let chosen = -1;

function wordAtCaret() {
  const word = field.value.slice(0, field.selectionStart).match(WORD);
  return word ? word[0] : "";
}

// A letter behind a number is a unit: 2 m offers nothing.
function isUnit(word) {
  return /[\d.]\s*$/.test(field.value.slice(0, field.selectionStart - word.length));
}

function matching(word) {
  if (!word || isUnit(word)) return [];
  const low = word.toLowerCase();
  const begins = (offer) => offer.text.toLowerCase().startsWith(low);
  const named = (offer) => low.length > 1 && offer.name.toLowerCase().includes(low);
  const offered = [
    ...offers.filter(begins),
    ...offers.filter((offer) => !begins(offer) && named(offer)),
  ];
  return offered.length === 1 && offered[0].text === word ? [] : offered.slice(0, MOST);
}

function show() {
  fitting = matching(wordAtCaret());
  chosen = -1;
  list.replaceChildren(...fitting.map(item));
  list.hidden = !fitting.length;
  field.setAttribute("aria-expanded", String(!list.hidden));
  field.removeAttribute("aria-activedescendant");
}

function item(offer, place) {
  const row = document.createElement("li");
  row.id = `completion-${place}`;
  row.setAttribute("role", "option");
  row.setAttribute("aria-selected", "false");
  for (const [tag, text] of [
    ["b", offer.shown],
    ["span", offer.name],
    ["span", offer.value],
  ]) {
    row.append(Object.assign(document.createElement(tag), { textContent: text }));
  }
  row.addEventListener("pointerdown", (event) => {
    event.preventDefault(); // the field keeps the focus
    take(place);
  });
  return row;
}

function choose(place) {
  chosen = (place + fitting.length) % fitting.length;
  [...list.children].forEach((option, number) => {
    option.setAttribute("aria-selected", String(number === chosen));
    if (number === chosen) option.scrollIntoView({ block: "nearest" });
  });
  field.setAttribute("aria-activedescendant", `completion-${chosen}`);
}

function take(place) {
  const word = wordAtCaret();
  insert(fitting[place].text, word.length);
}

function close() {
  list.hidden = true;
  field.setAttribute("aria-expanded", "false");
  field.removeAttribute("aria-activedescendant");
}

function insert(text, instead = 0) {
  const at = field.selectionStart - instead;
  field.setRangeText(text, at, field.selectionEnd, "end");
  field.focus();
  close();
  field.dispatchEvent(new Event("input", { bubbles: true }));
  close();
}

// What is half typed goes along with whatever else is kept on this page, and comes back with it.
function carry(form) {
  const typed = /** @type {HTMLFormElement} */ (document.getElementById("formula-form"));
  for (const entry of new FormData(typed).entries()) {
    if (["csrfmiddlewaretoken", "of", "was"].includes(entry[0])) continue;
    const hidden = Object.assign(document.createElement("input"), {
      type: "hidden",
      name: `draft-${entry[0]}`,
      value: entry[1],
    });
    form.append(hidden);
  }
}

// The last row of the givens is for a new one.
function makeGiven(symbol) {
  const row = [...document.querySelectorAll(".givens form")].at(-1);
  row.elements.symbol.value = symbol;
  row.elements.value.focus();
  row.scrollIntoView({ block: "nearest" });
}

if (field) {
  document.addEventListener("submit", (event) => {
    if (event.target.id !== "formula-form" && event.target.method === "post") carry(event.target);
  });
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-makes-given]");
    if (button) makeGiven(button.dataset.makesGiven);
  });
  field.addEventListener("input", show);
  field.addEventListener("blur", close);
  field.addEventListener("keydown", (event) => {
    if (list.hidden) return;
    if (event.key === "ArrowDown") choose(chosen + 1);
    else if (event.key === "ArrowUp") choose(chosen < 0 ? fitting.length - 1 : chosen - 1);
    else if (event.key === "Escape") close();
    else if ((event.key === "Enter" || event.key === "Tab") && chosen >= 0) take(chosen);
    else return;
    event.preventDefault();
  });
  for (const button of document.querySelectorAll("[data-insert]")) {
    button.addEventListener("click", () => {
      button.closest("details").open = false;
      insert(button.dataset.insert);
    });
  }
}
