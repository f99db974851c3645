// The chosen card stays in sight, and the strip of cards where it was scrolled to.
let scrolled = 0;

function settle() {
  const strip = document.querySelector(".cards");
  if (!strip) return;
  strip.scrollLeft = scrolled;
  strip.querySelector("[aria-current]")?.scrollIntoView({ block: "nearest", inline: "nearest" });
}

document.addEventListener("htmx:beforeSwap", () => {
  scrolled = document.querySelector(".cards")?.scrollLeft ?? 0;
});
document.addEventListener("htmx:afterSettle", settle);
settle();
