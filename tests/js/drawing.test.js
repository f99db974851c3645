// What scripts draw has the rules of the core: compared with cases that the core has written.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import { padded } from "../../galena/recording/static/recording/readout.js";
import {
  typedNumber,
  withComma,
  withPoint,
} from "../../galena/shell/static/shell/js/decimal_sign.js";
import { columnsOf, Extremes } from "../../galena/shell/static/shell/js/extremes.js";
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

test("what is typed in a field is a number with either sign", () => {
  for (const value of ["1.5", "1,5", " 1,5 "]) assert.equal(typedNumber({ value }), 1.5);
  for (const value of ["", " ", "1,5 mm"]) assert.ok(Number.isNaN(typedNumber({ value })));
});

test("a decimal comma is written where the server writes it, and the point comes back", () => {
  for (const [point, comma] of cases.decimals) {
    assert.equal(withComma(point), comma);
    assert.equal(withPoint(comma), point);
  }
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

test("the lowest and highest of each column are those of all its readings, however they came", () => {
  for (const { columns, x, y } of cases.columns) {
    const values = orNaN(y);
    const kept = new Extremes();
    kept.keepUp(values.slice(0, values.length >> 1)); // half of it had been drawn before
    const width = (x.at(-1) - x[0]) / columns;
    const place = (at) => Math.min(columns - 1, Math.floor((at - x[0]) / width));
    const wanted = new Map();
    x.forEach((at, i) => {
      if (!wanted.has(place(at))) wanted.set(place(at), []);
      if (!Number.isNaN(values[i])) wanted.get(place(at)).push(values[i]);
    });
    const shown = columnsOf(x, values, kept, columns);
    assert.deepEqual(
      shown.lows,
      [...wanted.values()].map((of) => (of.length ? Math.min(...of) : NaN)),
    );
    assert.deepEqual(
      shown.highs,
      [...wanted.values()].map((of) => (of.length ? Math.max(...of) : NaN)),
    );
    assert.deepEqual(shown.x.map(place), [...wanted.keys()]);
  }
});

test("few readings have no columns: they are drawn as they are", () => {
  assert.equal(columnsOf([0, 1, 2], [5, 6, 7], new Extremes(), 1000), null);
  assert.equal(columnsOf([], [], new Extremes(), 0), null);
});

test("symbols are cut as the core cuts them", () => {
  assert.ok(cases.symbols.length > 8);
  for (const [symbol, cut] of cases.symbols) assert.deepEqual(parts(symbol), cut, symbol);
});

test("a large number is as long with a sign or a digit less", () => {
  for (const text of ["−0.013", "0.013", "12", "–"]) {
    assert.equal(padded(text, 6).length, 6);
    assert.equal(padded(text, 6).trim(), text);
  }
  assert.equal(padded("−1234.567", 6), "−1234.567");
});
