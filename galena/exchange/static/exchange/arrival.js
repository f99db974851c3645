// The page of a table: a hand may have changed a guess before this page was wired.
document.addEventListener(
  "htmx:load",
  () => {
    for (const one of document.querySelectorAll("select.guess")) {
      const select = /** @type {HTMLSelectElement} */ (one);
      const first =
        [...select.options].find((option) => option.defaultSelected) ?? select.options[0];
      if (select.value !== first.value)
        select.dispatchEvent(new Event("change", { bubbles: true }));
    }
  },
  { once: true },
);
