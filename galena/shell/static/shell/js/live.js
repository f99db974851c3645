// The stream of live events of a page, and the readings packed in them.
// Owns one EventSource; it comes back by itself when the server was away.

import { say } from "./frame.js";

export function listen(url, handlers) {
  const source = new EventSource(url);
  for (const [name, handle] of Object.entries(handlers)) {
    source.addEventListener(name, (event) => handle(JSON.parse(event.data)));
  }
  source.addEventListener("signed-out", () => {
    source.close();
    say("You are signed out. Load the page again and sign in.");
  });
  addEventListener("pagehide", () => source.close());
  return source;
}

// Unpack {t0, n, data}: base64 of float32 columns, the first of them the time after t0.
export function unpack(batch) {
  const octets = Uint8Array.from(atob(batch.data), (character) => character.charCodeAt(0));
  const table = new Float32Array(octets.buffer);
  const t = new Float64Array(batch.n);
  for (let i = 0; i < batch.n; i++) t[i] = batch.t0 + table[i];
  const columns = [];
  for (let place = batch.n; place < table.length; place += batch.n)
    columns.push(table.subarray(place, place + batch.n));
  return { t, columns };
}
