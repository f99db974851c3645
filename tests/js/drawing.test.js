// What scripts draw has the rules of the core: compared with cases that the core has written.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import { envelope } from "../../galena/shell/static/shell/js/envelope.js";
import { clock, fixed, grouped, raised } from "../../galena/shell/static/shell/js/numbers.js";
import { parts } from "../../galena/shell/static/shell/js/symbols.js";
import {
  labelled,
  labelledDecades,
  labelledHours,
} from "../../galena/shell/static/shell/js/ticks.js";

const cases = JSON.parse(readFileSync(new URL("cases.json", import.meta.url), "utf8"));
const orNaN = (values) => values.map((value) => value ?? NaN);

test("ticks stand where the core puts them, with its labels", () => {
  assert.ok(cases.ticks.length > 300);
  for (const [lo, hi, about, ticks] of cases.ticks)
    assert.deepEqual(labelled(lo, hi, about), ticks, `${lo} to ${hi}, about ${about}`);
});

test("so do those of logarithmic axes", () => {
  for (const [lo, hi, about, ticks] of cases.decades)
    assert.deepEqual(labelledDecades(lo, hi, about), ticks, `${lo} to ${hi}, about ${about}`);
});

test("an axis without room for numbers has no ticks", () => {
  assert.deepEqual(labelled(1, 1, 5), []);
  assert.deepEqual(labelled(NaN, 1, 5), []);
  assert.deepEqual(labelled(-Infinity, 1, 5), []);
});

test("times of long runs are in hours and minutes", () => {
  assert.deepEqual(labelledHours(-60, 7200, 5), [
    [0, "0:00"],
    [1800, "0:30"],
    [3600, "1:00"],
    [5400, "1:30"],
    [7200, "2:00"],
  ]);
});

test("numbers are written as the core writes them, and zero has no sign", () => {
  for (const [value, decimals, text] of cases.fixed)
    assert.equal(fixed(value, decimals), text, `${value} with ${decimals} decimals`);
  for (const [count, text] of cases.grouped) assert.equal(grouped(count), text);
  assert.equal(fixed(-0.001, 2), "0.00");
  assert.equal(fixed(NaN, 2), "–");
  assert.equal(raised(-12), "⁻¹²");
});

test("a clock tells minutes and tenths, and never sixty seconds", () => {
  assert.equal(clock(59.97), "01:00.0");
  assert.equal(clock(-0.02), "00:00.0");
  assert.equal(clock(-75.25), "\u221201:15.3");
  assert.equal(clock(0.25, 0.5), "0.250 s");
  assert.equal(clock(7.5, 8), "7.50 s");
});

test("an envelope keeps what the core keeps, also where a column begins without a number", () => {
  for (const { columns, x, y, kept_x, kept_y } of cases.envelopes) {
    const [xs, ys] = envelope(x, orNaN(y), columns);
    assert.deepEqual(xs, kept_x);
    assert.deepEqual(ys, orNaN(kept_y));
  }
});

test("symbols are cut as the core cuts them", () => {
  assert.ok(cases.symbols.length > 8);
  for (const [symbol, cut] of cases.symbols) assert.deepEqual(parts(symbol), cut, symbol);
});
