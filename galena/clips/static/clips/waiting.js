// Watches a film being made ready, and goes on to its page when it is.
import { contentAt } from "../shell/js/answers.js";

const waiting = document.getElementById("waiting");
const every = 500; // milliseconds

async function look() {
  const told = await contentAt(waiting.dataset.state);
  if (told && told.state !== "preparing") location.reload();
  else {
    if (told) waiting.querySelector("[data-shown=pictures]").textContent = told.pictures;
    setTimeout(look, every);
  }
}
if (waiting.querySelector("[data-shown=pictures]")) look();
