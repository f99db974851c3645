// The decimal comma, for those who have chosen to read it: the server has written the page with it
// (galena.shell.decimal_sign), this module does the same to what scripts write into the page later.
// What a script writes into a field for a number it asks for here. Other fields, scripts, `code` and
// `samp` keep the point. Owns no state; changes only what is read.

const DECIMAL = /(?<![\w.])(\d+)\.(\d+)(?!\.?\d)/g;
const VERBATIM = "script, style, textarea, code, samp, [contenteditable]";
const SPOKEN = ["aria-label", "aria-valuetext", "title", "alt"];

const isChosen = globalThis.document?.documentElement.dataset.decimalSign === "comma";

export const withComma = (text) => text.replace(DECIMAL, "$1,$2");
export const withPoint = (text) => text.replace(/(\d),(?=\d)/g, "$1.");

// Text for a canvas or for a field, where nothing sees it written.
export const asRead = (text) => (isChosen ? withComma(text) : text);
// Text that stood on the page, as it is kept.
export const asKept = (text) => (isChosen ? withPoint(text) : text);

// The number that is typed in a field, with either sign; NaN where there is none.
export const typedNumber = (field) =>
  field.value.trim() ? Number(withPoint(field.value)) : Number.NaN;

function writeText(node) {
  const text = withComma(node.data);
  if (text !== node.data && !node.parentElement?.closest(VERBATIM)) node.data = text;
}

function writeSpoken(element) {
  for (const name of SPOKEN) {
    const text = element.getAttribute(name);
    if (text && withComma(text) !== text) element.setAttribute(name, withComma(text));
  }
}

function writeAll(node) {
  if (node.nodeType === Node.TEXT_NODE) writeText(node);
  if (node.nodeType !== Node.ELEMENT_NODE) return;
  writeSpoken(node);
  const within = document.createTreeWalker(node, NodeFilter.SHOW_TEXT | NodeFilter.SHOW_ELEMENT);
  while (within.nextNode()) {
    const { currentNode } = within;
    if (currentNode.nodeType === Node.TEXT_NODE) writeText(currentNode);
    else writeSpoken(currentNode);
  }
}

if (isChosen)
  new MutationObserver((records) => {
    for (const { type, target, addedNodes } of records) {
      if (type === "characterData") writeText(target);
      else if (type === "attributes") writeSpoken(target);
      else addedNodes.forEach(writeAll);
    }
  }).observe(document.documentElement, {
    subtree: true,
    childList: true,
    characterData: true,
    attributeFilter: SPOKEN,
  });
