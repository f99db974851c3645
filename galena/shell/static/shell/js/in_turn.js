// What a page changes reaches the server in the order in which it was done: each change waits for
// the answer to the one before. A form or button of htmx with data-in-turn takes part: it waits
// as well, and if it came anew meanwhile, the new one of the same name acts.
// Owns the line of changes.

let line = Promise.resolve();
let inLine = 0; // changes that wait or are under way

/** @type {<T>(send: () => Promise<T>) => Promise<T>} */
export function inTurn(send) {
  inLine += 1;
  const answer = line.then(send);
  line = answer.then(
    () => void (inLine -= 1),
    () => void (inLine -= 1),
  );
  return answer;
}

// Wait until all that was done so far is answered.
export const answered = () => line;

export function takeTurns() {
  document.addEventListener("htmx:confirm", (event) => {
    const { elt, issueRequest } = event.detail;
    const name = elt.dataset.inTurn;
    if (!name || !inLine) return;
    event.preventDefault();
    line.then(() => {
      if (elt.isConnected) issueRequest();
      else document.querySelector(`[data-in-turn="${name}"]:not(:disabled)`)?.click();
    });
  });
  document.addEventListener("htmx:beforeSend", ({ detail: { elt, xhr } }) => {
    if (!elt.dataset.inTurn) return;
    const ended = new Promise((tell) => xhr.addEventListener("loadend", tell));
    inTurn(() => ended);
  });
}
