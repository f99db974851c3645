// Draws over the picture: the scale with its ends, the axes, the marks as rings, and the cross.
// Owns the <svg>; all places are pixels of the film, sizes are pixels of the screen.
const NS = "http://www.w3.org/2000/svg";
const ARM = 74; // screen pixels
const COLOURS = { scale: "#22303c", axes: "#6b4a7d", cross: "#c8781e" };

export class Over {
  constructor(svg) {
    this.svg = svg;
  }

  // Film pixels that a screen pixel is.
  get unit() {
    return this.svg.viewBox.baseVal.width / (this.svg.clientWidth || 1);
  }

  draw(drawn, { picture, chosen, cross, markOf }) {
    this.svg.replaceChildren();
    if (drawn.plane) this.plane(drawn.plane);
    else if (drawn.scale) this.scale(drawn.scale, drawn.scaleText);
    if (drawn.axes) this.axes(drawn.axes);
    for (const one of drawn.objects)
      this.marks(one, picture, one.id === chosen, markOf(one.number).colour);
    if (cross) this.cross(cross);
  }

  add(name, attributes, text = "") {
    const element = document.createElementNS(NS, name);
    for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
    element.textContent = text;
    this.svg.append(element);
    return element;
  }

  // A line that is seen on dark and on light ground.
  line(x1, y1, x2, y2, colour, width = 2) {
    for (const [stroke, wide] of [
      ["#ffffff", width + 2.5],
      [colour, width],
    ])
      this.add("line", { x1, y1, x2, y2, stroke, "stroke-width": wide * this.unit });
  }

  label(x, y, text, colour) {
    this.add(
      "text",
      {
        x,
        y,
        "fill": colour,
        "stroke": "#ffffff",
        "stroke-width": 4 * this.unit,
        "paint-order": "stroke",
        "font-size": 15 * this.unit,
        "class": "over-text",
      },
      text,
    );
  }

  scale([x1, y1, x2, y2], text) {
    const { unit } = this;
    const long = Math.hypot(x2 - x1, y2 - y1) || 1;
    const [across, up] = [(-(y2 - y1) / long) * 7 * unit, ((x2 - x1) / long) * 7 * unit];
    this.line(x1, y1, x2, y2, COLOURS.scale);
    for (const [x, y] of [
      [x1, y1],
      [x2, y2],
    ])
      this.line(x - across, y - up, x + across, y + up, COLOURS.scale);
    this.label((x1 + x2) / 2 + 12 * unit, (y1 + y2) / 2, text, COLOURS.scale);
  }

  // A rectangle seen at a slant: lines that are straight in it, its corners and its sides.
  plane({ corners, grid, sides }) {
    const { unit } = this;
    for (const [[x1, y1], [x2, y2]] of grid)
      this.add("line", {
        x1,
        y1,
        x2,
        y2,
        "stroke": "#ffffff",
        "stroke-width": unit,
        "opacity": 0.75,
      });
    corners.forEach(([x, y], place) => {
      const [a, b] = corners[(place + 1) % 4];
      this.line(x, y, a, b, COLOURS.scale);
      if (sides[place])
        this.label((x + a) / 2 + 8 * unit, (y + b) / 2 - 8 * unit, sides[place], COLOURS.scale);
    });
    corners.forEach(([cx, cy], place) => {
      this.add("circle", {
        cx,
        cy,
        "r": 6 * unit,
        "fill": "#ffffff",
        "stroke": COLOURS.scale,
        "stroke-width": 2 * unit,
      });
      this.label(cx + 9 * unit, cy + 5 * unit, String(place + 1), COLOURS.scale);
    });
  }

  axes({ x, y, angle, xToLeft, yDown }) {
    const { unit } = this;
    const turn = (angle * Math.PI) / 180;
    const arm = ARM * unit;
    const ways = [
      ["x", Math.cos(turn), -Math.sin(turn), xToLeft],
      ["y", -Math.sin(turn), -Math.cos(turn), yDown],
    ];
    for (const [name, dx, dy, turned] of ways) {
      const way = turned ? -arm : arm;
      this.line(x, y, x + dx * way, y + dy * way, COLOURS.axes);
      const top = Math.max(y + dy * way * 1.12, 16 * unit);
      this.label(x + dx * way * 1.12 + 4 * unit, top, name, COLOURS.axes);
    }
    this.add("circle", { cx: x, cy: y, r: 5 * unit, fill: COLOURS.axes });
  }

  // Where the arm of the x axis ends: there it is taken to turn the axes.
  armOf({ x, y, angle, xToLeft }) {
    const turn = (angle * Math.PI) / 180;
    const way = (xToLeft ? -1 : 1) * ARM * this.unit;
    return [x + Math.cos(turn) * way, y - Math.sin(turn) * way];
  }

  marks({ marks }, picture, isChosen, colour) {
    const { unit } = this;
    for (const [number, x, y] of marks) {
      const here = number === picture;
      this.add("circle", {
        "cx": x,
        "cy": y,
        "r": (here ? 7 : 4.5) * unit,
        "fill": "none",
        "stroke": colour,
        "stroke-width": (here ? 2.4 : 1.6) * unit,
        "opacity": here ? 1 : isChosen ? 0.65 : 0.3,
      });
    }
  }

  cross([x, y]) {
    const { unit } = this;
    for (const [dx, dy] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ])
      this.line(
        x + dx * 4 * unit,
        y + dy * 4 * unit,
        x + dx * 20 * unit,
        y + dy * 20 * unit,
        COLOURS.cross,
        1.4,
      );
  }
}
