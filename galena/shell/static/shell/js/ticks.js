// Where an axis gets its ticks, and what is written at them: the rule of galena.core.ticks, at steps
// of 1, 2 or 5 times a power of ten, counted in exact decimals. tests/js compares the two.
import { MINUS, raised } from "./numbers.js";

const LARGE = 1e6;
const SMALL = 0.01;
const MOST = 1000;

// A decimal number is digits (a BigInt) times ten to a power.
function decimal(value) {
  const [mantissa, power = "0"] = String(value).split("e");
  const [whole, part = ""] = mantissa.split(".");
  return { digits: BigInt(whole + part), power: Number(power) - part.length };
}

const tenTo = (power) => 10n ** BigInt(power);

// How many whole units, step times ten to a power, go into a number: rounded up or down.
function counted(value, step, power, up) {
  const { digits, power: own } = decimal(value);
  const above = own >= power ? digits * tenTo(own - power) : digits;
  const below = BigInt(step) * (own >= power ? 1n : tenTo(power - own));
  const whole = above / below;
  const rest = above - whole * below;
  if (rest === 0n) return whole;
  if (up) return rest > 0n ? whole + 1n : whole;
  return rest < 0n ? whole - 1n : whole;
}

// Write digits times ten to a power with so many decimals, which are enough for all of them.
function written(digits, power, decimals) {
  const scaled = digits * tenTo(power + decimals);
  const text = String(scaled < 0n ? -scaled : scaled).padStart(decimals + 1, "0");
  const cut = text.length - decimals;
  return `${scaled < 0n ? MINUS : ""}${text.slice(0, cut)}${decimals ? "." : ""}${text.slice(cut)}`;
}

// Places of about so many ticks and what is written there; none where there is no room for numbers.
export function labelled(lo, hi, about) {
  const rough = hi / Math.max(about, 1) - lo / Math.max(about, 1);
  if (!(rough > 0) || !Number.isFinite(rough)) return [];
  let power = Math.floor(Math.log10(rough));
  const times = rough / Number(`1e${power}`);
  let step = times >= Math.sqrt(50) ? 10 : times >= Math.sqrt(10) ? 5 : times >= Math.SQRT2 ? 2 : 1;
  if (step === 10) [step, power] = [1, power + 1];
  const [first, last] = [counted(lo, step, power, true), counted(hi, step, power, false)];
  if (last - first > MOST) return [];
  const counts = Array.from({ length: Number(last - first) + 1 }, (_, i) => first + BigInt(i));
  const digits = counts.map((count) => count * BigInt(step));
  const places = digits.map((one) => Number(`${one}e${power}`));
  const decimals = Math.max(0, -power);
  const largest = Math.max(0, ...places.map(Math.abs));
  if (largest >= LARGE || (decimals > 5 && largest < SMALL))
    return withPower(places, digits, power);
  return places.map((place, i) => [place, written(digits[i], power, decimals)]);
}

function withPower(places, digits, power) {
  const size = (one) => String(one < 0n ? -one : one).length;
  const leading = power + Math.max(...digits.map(size)) - 1;
  const decimals = Math.max(leading - power, power >= 0 ? 2 : 0);
  return places.map((place, i) => [
    place,
    place === 0
      ? "0"
      : `${written(digits[i], power - leading, decimals)}\u00d710${raised(leading)}`,
  ]);
}

// Decades, and 2 and 5 between them where there is room.
export function labelledDecades(lo, hi, about) {
  const isRoomy = (Math.log10(hi) - Math.log10(lo)) * 3 <= about + 2;
  const first = isRoomy ? Math.floor(Math.log10(lo)) : Math.ceil(Math.log10(lo) - 1e-9);
  const last = Math.floor(Math.log10(hi));
  const every = isRoomy ? 1 : Math.max(1, Math.ceil((last - first + 1) / Math.max(1, about)));
  const ticks = [];
  for (let power = first; power <= last; power += every) {
    for (const factor of isRoomy ? [1, 2, 5] : [1]) {
      const place = Number(`${factor}e${power}`);
      if (place >= lo && place <= hi) ticks.push([place, decade(factor, power)]);
    }
  }
  return ticks.length > 1 ? ticks : labelled(lo, hi, about);
}

function decade(factor, power) {
  if (power >= -3 && power <= 4) return written(BigInt(factor), power, Math.max(0, -power));
  return `${factor === 1 ? "" : `${factor}\u00d7`}10${raised(power)}`;
}

const STEPS = [
  60, 120, 300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200, 86400, 172800, 604800,
];
const WEEK = STEPS.at(-1);

// Times of long runs in hours and minutes.
export function labelledHours(lo, hi, about) {
  const step =
    STEPS.find((one) => (hi - lo) / one <= about) ?? WEEK * Math.ceil((hi - lo) / about / WEEK);
  const ticks = [];
  for (let place = Math.ceil(lo / step) * step + 0; place <= hi; place += step) {
    const minutes = Math.round(Math.abs(place) / 60);
    const sign = place < 0 ? MINUS : "";
    ticks.push([
      place,
      `${sign}${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, "0")}`,
    ]);
  }
  return ticks;
}
