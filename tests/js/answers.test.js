// Answers that do not come, come half, or tell of a refusal.
import assert from "node:assert/strict";
import { test } from "node:test";
import { contentOf, reach, contentAt } from "../../galena/shell/static/shell/js/answers.js";

const breaksOff = async () => {
  throw new DOMException("The operation was aborted.", "AbortError");
};
const answering = (answer) => {
  globalThis.fetch = /** @type {any} */ (async () => answer);
};

test("what comes whole is given", async () => {
  answering({ ok: true, json: async () => ({ a: 1 }), text: async () => "a" });
  assert.deepEqual(await contentAt("/here"), { a: 1 });
  assert.equal(await contentAt("/here", "text"), "a");
});

test("no answer, half an answer and a refusal are nothing", async () => {
  globalThis.fetch = breaksOff;
  assert.equal(await reach("/here"), null);
  assert.equal(await contentAt("/here"), null);
  assert.equal(await contentOf(null), null);
  answering({ ok: true, json: breaksOff });
  assert.equal(await contentAt("/here"), null);
  answering({ ok: false, json: async () => ({ a: 1 }) });
  assert.equal(await contentAt("/here"), null);
});
