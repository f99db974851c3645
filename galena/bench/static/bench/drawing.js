// The parts of a rig's drawing, and their places for a state of the rig.
// Owns nothing: rigs.js moves them as the rig lives on, replay.js as it was.
//
// data-bind="ATTRIBUTE:STATE:FACTOR:OFFSET …" sets ATTRIBUTE to FACTOR · STATE + OFFSET, with a
// least and a greatest value after that if wanted. Attributes x-move, y-move, turn (with
// data-centre="x y"), x-size and y-size become a transform.

export function parts(rig) {
  return [...rig.querySelectorAll("[data-bind]")].map((element) => ({
    element,
    rules: element.dataset.bind.split(/\s+/).map((rule) => {
      const [attribute, state, factor, offset, least, most] = rule.split(":");
      return {
        attribute,
        state,
        factor: +factor,
        offset: +offset,
        least: least === undefined ? -Infinity : +least,
        most: most === undefined ? Infinity : +most,
      };
    }),
  }));
}

export function place({ element, rules }, state) {
  let transform = "";
  for (const rule of rules) {
    const value = Math.min(
      rule.most,
      Math.max(rule.least, rule.factor * (state[rule.state] ?? 0) + rule.offset),
    );
    const text = value.toFixed(2);
    if (rule.attribute === "x-move") transform += `translate(${text} 0) `;
    else if (rule.attribute === "y-move") transform += `translate(0 ${text}) `;
    else if (rule.attribute === "turn") transform += `rotate(${text} ${element.dataset.centre}) `;
    else if (rule.attribute === "x-size") transform += `scale(${text} 1) `;
    else if (rule.attribute === "y-size") transform += `scale(1 ${text}) `;
    else element.setAttribute(rule.attribute, text);
  }
  if (transform) element.setAttribute("transform", transform);
}
