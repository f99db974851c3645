// The colours of colours.css, for what is drawn on a canvas: the page's room decides which.
const style = getComputedStyle(document.documentElement);
const property = (name) => style.getPropertyValue(`--${name}`).trim();

export const COLOURS = {
  ink: property("ink"),
  soft: property("soft"),
  surface: property("surface"),
  brass: property("brass"),
  lead: property("lead"),
  moss: property("moss"),
  rust: property("rust"),
  hairline: property("chart-hairline"),
  axis: property("chart-axis"),
  ruler: property("chart-ruler"),
  tick: property("chart-tick"),
  within: property("chart-within"),
};
