// Numbers as galena.core.numbers writes them; tests/js compares the two.
export const MINUS = "\u2212";
const RAISED = Object.fromEntries([..."-0123456789"].map((sign, i) => [sign, "⁻⁰¹²³⁴⁵⁶⁷⁸⁹"[i]]));

// A whole number as an exponent.
export const raised = (power) => [...String(power)].map((sign) => RAISED[sign]).join("");

// A number with so many decimals, a half rounded to even; zero has no sign, and no number is a dash.
export function fixed(value, decimals) {
  if (!Number.isFinite(value)) return "–";
  let text = value.toFixed(decimals);
  if (isHalf(value, decimals) && "13579".includes(text.at(-1)))
    text = (Math.sign(value) * (Math.abs(value) - 0.25 / 10 ** decimals)).toFixed(decimals);
  return /[1-9]/.test(text) ? text.replace("-", MINUS) : text.replace("-", "");
}

// Whether a number lies exactly half-way between two with so many decimals.
const isHalf = (value, decimals) => {
  const [, part = ""] = String(value).split(".");
  return (
    part.length === decimals + 1 && part.endsWith("5") && (value * 2 ** (decimals + 1)) % 1 === 0
  );
};

// A count with thin spaces between thousands.
export const grouped = (count) => count.toLocaleString("en").replaceAll(",", "\u2009");

// A time as minutes and seconds; of a run that lasts under ten seconds as seconds.
export function clock(seconds, until = null) {
  if (until !== null && until < 10) return `${fixed(seconds, until < 1 ? 3 : 2)} s`;
  const tenths = Math.round(Math.abs(seconds) * 10);
  const rest = fixed((tenths % 600) / 10, 1).padStart(4, "0");
  const minutes = String(Math.floor(tenths / 600)).padStart(2, "0");
  return `${seconds < 0 && tenths ? MINUS : ""}${minutes}:${rest}`;
}
