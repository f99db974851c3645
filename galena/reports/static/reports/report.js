// The Report: what is written is kept and its page follows; a click on the page goes to its place in
// the text; what can be put in is offered after a `{`, and at the right.
// Keys in the list of what is offered: arrows, Enter or Tab to put in, Escape.
import { contentOf, reach } from "../shell/js/answers.js";
import { token } from "../shell/js/frame.js";

const REST = 450; // ms without a key after which the text is kept
const LOOK = 4000; // ms between two looks for what others wrote
const MOST = 8; // that are offered at once
const report = document.getElementById("report");
const text = /** @type {HTMLTextAreaElement} */ (document.getElementById("text"));
const title = /** @type {HTMLInputElement} */ (document.getElementById("title"));
const paper = document.getElementById("paper");
const offered = document.getElementById("offered");
const trouble = document.getElementById("trouble");
const said = document.getElementById("kept");
let base = { text: text.value, title: title.value, version: Number(report.dataset.version) };
let waiting = 0;
let underWay = false;
let keptAt = Date.now();

const isKept = () => text.value === base.text && title.value === base.title;

function form() {
  return new URLSearchParams({
    title: title.value,
    text: text.value,
    base: base.text,
    base_title: base.title,
    version: String(base.version),
  });
}

async function keep() {
  clearTimeout(waiting);
  if (underWay) {
    waiting = window.setTimeout(keep, REST);
    return;
  }
  if (isKept()) return;
  underWay = true;
  const sent = { text: text.value, title: title.value };
  const answer = await reach(report.dataset.write, {
    method: "POST",
    body: form(),
    headers: { "X-CSRFToken": token() },
  });
  const written = answer?.ok ? await contentOf(answer) : null;
  underWay = false;
  if (written) take(written, sent);
  else {
    tell("The server does not answer. Your text is still in the box, and is sent again.");
    waiting = window.setTimeout(keep, LOOK);
  }
  if (!isKept() && trouble.hidden) waiting = window.setTimeout(keep, REST);
}

/** Show what the server kept; what was typed meanwhile stays. */
function take(answer, sent) {
  if (answer.page !== undefined) {
    paper.innerHTML = "";
    paper.insertAdjacentHTML("beforeend", `<h1></h1><p class="by"></p>${answer.page}`);
    paper.querySelector("h1").textContent = answer.title ?? title.value;
    paper.querySelector(".by").textContent = paper.dataset.by;
    document.getElementById("state").innerHTML = answer.state;
    document.getElementById("versions").textContent = answer.versions;
    markPlace();
  }
  if (answer.trouble) {
    tell(answer.trouble);
    return;
  }
  trouble.hidden = true;
  if (answer.both)
    tell("Somebody else wrote in the same paragraph: both are kept, one after the other.");
  const typedOn = text.value !== sent.text;
  base = { text: sent.text, title: sent.title, version: answer.version };
  if (!typedOn && answer.text !== text.value) replace(answer.text);
  if (!typedOn) base.text = answer.text;
  if (title.value === sent.title) {
    if (document.activeElement !== title) title.value = answer.title;
    base.title = title.value;
  }
  keptAt = Date.now();
  age();
}

function tell(words) {
  trouble.textContent = words;
  trouble.hidden = false;
}

/** Put a text in place of the one there; the cursor stays where it was among the words. */
function replace(next) {
  const { selectionStart: at, scrollTop } = text;
  const before = text.value;
  let same = 0;
  while (same < at && same < next.length && before[same] === next[same]) same += 1;
  const after = same === at ? at : Math.max(0, next.length - (before.length - at));
  text.value = next;
  text.setSelectionRange(after, after);
  text.scrollTop = scrollTop;
}

function age() {
  const seconds = Math.round((Date.now() - keptAt) / 1000);
  said.textContent = isKept()
    ? seconds < 60
      ? "kept"
      : `kept ${Math.round(seconds / 60)} min ago`
    : "being kept";
}

async function look() {
  if (underWay || document.hidden) return;
  const answer = await reach(`${report.dataset.now}?version=${base.version}`);
  const written = answer?.status === 200 ? await contentOf(answer) : null; // 204: as it is here
  if (!written || underWay) return;
  if (!isKept()) {
    keep(); // it comes back with what others wrote
    return;
  }
  take(written, { text: text.value, title: title.value });
}

// ---- from the page to the text and back

function lineAt(position) {
  return text.value.slice(0, position).split("\n").length - 1;
}

function markPlace() {
  const line = lineAt(text.selectionStart);
  let nearest = null;
  for (const one of paper.querySelectorAll(":scope > [data-line]")) {
    if (Number(/** @type {HTMLElement} */ (one).dataset.line) <= line) nearest = one;
    one.classList.remove("here");
  }
  nearest?.classList.add("here");
  if (document.activeElement === text) nearest?.scrollIntoView({ block: "nearest" });
}

paper.addEventListener("click", (event) => {
  const part = event.target instanceof Element ? event.target.closest("[data-line]") : null;
  if (!part) return;
  const line = Number(/** @type {HTMLElement} */ (part).dataset.line);
  const at = text.value.split("\n").slice(0, line).join("\n").length + (line ? 1 : 0);
  text.focus();
  text.setSelectionRange(at, at);
  const height = parseFloat(getComputedStyle(text).lineHeight);
  text.scrollTop = Math.max(0, (line - 4) * height);
  markPlace();
});

// ---- what is put in

const choices = [
  .../** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-put]")),
].map((one) => ({
  put: one.dataset.put,
  words: one.innerText.replace(/\s+/g, " ").trim(),
}));
let open = -1; // where the brace stands that something is offered for
let at = 0;

function putIn(words, from, to) {
  text.focus();
  text.setRangeText(words, from, to, "end");
  text.dispatchEvent(new Event("input", { bubbles: true }));
}

function offer() {
  const before = text.value.slice(0, text.selectionStart);
  open = before.lastIndexOf("{");
  const begun = before.slice(open + 1).toLowerCase();
  const isOpen = open >= 0 && !/[}\n]/.test(begun) && before[open - 1] !== "\\";
  const found = isOpen
    ? choices
        .filter((one) => `${one.put} ${one.words}`.toLowerCase().includes(begun))
        .slice(0, MOST)
    : [];
  offered.hidden = !found.length;
  at = 0;
  offered.replaceChildren(
    ...found.map((one, place) => {
      const item = document.createElement("li");
      item.setAttribute("role", "option");
      item.id = `offered-${place}`;
      item.textContent = one.words;
      item.dataset.words = one.put;
      return item;
    }),
  );
  choose(0);
}

function choose(place) {
  const items = [...offered.children];
  at = items.length ? (place + items.length) % items.length : 0;
  items.forEach((one, number) => one.setAttribute("aria-selected", String(number === at)));
  if (offered.hidden) text.removeAttribute("aria-activedescendant");
  else text.setAttribute("aria-activedescendant", `offered-${at}`);
}

function accept() {
  const item = /** @type {HTMLElement} */ (offered.children[at]);
  const end =
    text.value[text.selectionStart] === "}" ? text.selectionStart + 1 : text.selectionStart;
  offered.hidden = true;
  putIn(item.dataset.words, open, end);
  offered.hidden = true;
}

text.addEventListener("keydown", (event) => {
  if (offered.hidden) return;
  if (event.key === "ArrowDown") choose(at + 1);
  else if (event.key === "ArrowUp") choose(at - 1);
  else if (event.key === "Enter" || event.key === "Tab") accept();
  else if (event.key === "Escape") offered.hidden = true;
  else return;
  event.preventDefault();
});
offered.addEventListener("mousedown", (event) => {
  const item = event.target instanceof Element ? event.target.closest("li") : null;
  if (!item) return;
  event.preventDefault();
  at = [...offered.children].indexOf(item);
  accept();
});
document.addEventListener("click", (event) => {
  const put = event.target instanceof Element ? event.target.closest("[data-put]") : null;
  if (put)
    putIn(/** @type {HTMLElement} */ (put).dataset.put, text.selectionStart, text.selectionEnd);
});

function typed() {
  trouble.hidden = true;
  clearTimeout(waiting);
  waiting = window.setTimeout(keep, REST);
  age();
}
text.addEventListener("input", () => {
  typed();
  offer();
});
title.addEventListener("input", typed);
text.addEventListener("blur", () => (offered.hidden = true));
document.addEventListener("selectionchange", () => {
  if (document.activeElement === text) markPlace();
});
document.addEventListener("keydown", (event) => {
  if ((event.ctrlKey || event.metaKey) && event.key === "s") {
    event.preventDefault();
    keep();
  }
});
addEventListener("pagehide", () => {
  if (!isKept())
    reach(report.dataset.write, {
      method: "POST",
      body: form(),
      headers: { "X-CSRFToken": token() },
      keepalive: true,
    });
});
addEventListener("beforeunload", (event) => {
  if (!isKept()) event.preventDefault();
});
setInterval(look, LOOK);
setInterval(age, 15_000);
