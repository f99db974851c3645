// What is recorded now, as the newest answer of the server says. Answers may overtake each other:
// one that the server began to write before another, and that says something else, is let be.
import { renewPart } from "../shell/js/parts.js";

let newest = readStatus();

export function readStatus() {
  return JSON.parse(document.getElementById("status").textContent);
}

// Tell whether an answer is older than what is known; if it is not, it is what is known now.
export function isOvertaken(status) {
  if (status["as-of"] < newest["as-of"] && !isSame(status, newest)) return true;
  if (status["as-of"] > newest["as-of"]) newest = status;
  return false;
}

// The server may have been started anew since, with a clock of its own.
export function beginAnew() {
  newest = { ...newest, "as-of": 0 };
}

export function isSame(status, other) {
  return ["recording", "phase", "stepping"].every((key) => status[key] === other[key]);
}

// A panel that was overtaken is not put in the place of a newer one; it is asked for once more.
document.addEventListener("htmx:beforeSwap", (event) => {
  const { target, serverResponse } = event.detail;
  if (target?.id !== "plan") return;
  const told = /<script id="status"[^>]*>(.*?)<\/script>/s.exec(serverResponse);
  if (told === null || !isOvertaken(JSON.parse(told[1]))) return;
  event.detail.shouldSwap = false;
  const { panel } = document.querySelector("main.record").dataset;
  renewPart(panel, "#plan");
});
