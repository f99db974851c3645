// The page of a clip: brings film, drawing, glass and strip together, and sends what is done.
// Owns which picture is shown, where the cross is, and what the hand does now.
import { contentOf } from "../shell/js/answers.js";
import { post, say } from "../shell/js/frame.js";
import { inTurn, takeTurns } from "../shell/js/in_turn.js";
import { loadMarks } from "../shell/js/painter.js";
import { Film } from "./film.js";
import { followOn } from "./follow.js";
import { Glass } from "./glass.js";
import { Over } from "./over.js";
import { cornerFields, moved, points, typedCorners } from "./points.js";
import { Strip } from "./strip.js";
import { TiedRun } from "./tied_run.js";

const json = (id) => JSON.parse(document.getElementById(id).textContent);
const markOf = loadMarks();
const stage = document.getElementById("stage");
const videos = /** @type {HTMLVideoElement[]} */ ([...stage.querySelectorAll("video")]);
const over = new Over(document.getElementById("over"));
const glass = new Glass(document.getElementById("glass"), stage);
const film = new Film(videos, json("ticks"), pictureShown);
const strip = new Strip(document.getElementById("strip"), film.count, {
  show: (k) => film.show(k),
  range: (start, stop) => chooseRange(start, stop),
});
let drawn = json("drawn");
const tiedRun = new TiedRun(document.getElementById("trace"), draw);
let cross = null;
let held = null; // what is dragged: the number of an end or a corner, "arm", "origin", "mark"
let point = null; // the end or corner that is moved by keys
let draft = null; // a scale or axes as a hand has them now
let steadying = 0; // so many marks of the same place are still to be set

const panel = () => document.getElementById("panel");
const act = () => panel().dataset.act;
const chosenButton = () => panel().querySelector("[data-object][aria-pressed=true]");
const chosen = () => Number(chosenButton()?.dataset.object);
const wayOf = () => drawn.objects.find(({ id }) => id === chosen())?.marks ?? [];

const STEADY = 5; // marks of the same place tell how steady a hand is

const ratio = drawn.width / drawn.height;
stage.style.aspectRatio = String(ratio);
stage.style.width = `min(100%, calc((100vh - var(--below)) * ${ratio}))`;

function draw() {
  const shown = steadying ? { objects: [] } : {};
  over.draw(
    { ...drawn, ...draft, ...shown },
    {
      picture: film.at,
      chosen: chosen(),
      cross,
      markOf,
    },
  );
  glass.show(film.seen, film.isPlaying ? null : cross, [drawn.width, drawn.height], wayOf());
  strip.draw(drawn, film.at);
  tiedRun.draw(film.seconds(film.at), film.seconds(film.count - 1));
}

function pictureShown(k) {
  document.querySelector("[data-shown=picture]").textContent = String(k + 1);
  document.querySelector("[data-shown=time]").textContent = film.seconds(k).toFixed(4);
  stage.dataset.picture = String(k);
  const link = /** @type {HTMLAnchorElement} */ (document.querySelector("[data-of-picture]"));
  link.search = `?number=${k + 1}`;
  nameMoment();
  draw();
}

// The picture that is shown is the moment that a run would be tied to.
function nameMoment() {
  const field = panel().querySelector("#tie-form [name=picture]");
  if (field) field.value = String(film.at);
}

// The panel came anew: what is drawn comes with it.
function renewed() {
  drawn = json("drawn");
  draft = null;
  const ends = ["x1", "y1", "x2", "y2"].map(
    (name) => fieldOf(document.getElementById("scale-form"), name).value,
  );
  // What was drawn and could not be taken as it was typed still lies there.
  if (ends.every(Boolean)) draft = { scale: ends.map(Number), scaleText: drawn.scaleText };
  const corners = typedCorners(document.getElementById("plane-form"));
  if (act() === "plane" && corners && panel().querySelector("[role=alert]"))
    draft = { plane: { corners, grid: [], sides: [] } };
  point = null;
  for (const card of panel().querySelectorAll("[data-card]"))
    card.toggleAttribute("data-current", card.dataset.card === act());
  nameMoment();
  tiedRun.renewed(act() === "tie");
  draw();
}
new MutationObserver(renewed).observe(document.getElementById("clip"), { childList: true });

async function send(url, fields) {
  const answer = await inTurn(() => post(url, fields));
  const shown = await contentOf(answer, "text");
  if (shown === null) {
    say("The server does not answer. What was marked before is kept.");
    return false;
  }
  htmx.swap("#panel", shown, { swapStyle: "outerHTML" });
  return answer.ok;
}

const fieldOf = (form, name) => form.querySelector(`[name=${name}]`);

function fillForm(id, fields) {
  const form = document.getElementById(id);
  for (const [name, value] of Object.entries(fields)) fieldOf(form, name).value = String(value);
  return form;
}

function takeScale([x1, y1, x2, y2]) {
  draft = { scale: [x1, y1, x2, y2], scaleText: drawn.scaleText };
  const form = fillForm("scale-form", { x1, y1, x2, y2 });
  const length = fieldOf(form, "length");
  if (length.value) htmx.trigger(form, "submit");
  else length.focus();
}

// What the card in use is drawn by, as a hand has it now.
const pointsOf = (card) => points(card, { ...drawn, ...draft });
function movePoint(card, place, to) {
  draft = moved(card, { ...drawn, ...draft }, place, to);
}

function takePoints(card) {
  if (card === "scale") {
    takeScale(pointsOf(card).flat());
    return;
  }
  const form = fillForm("plane-form", cornerFields(pointsOf(card)));
  const empty = ["width", "height"].find((name) => !fieldOf(form, name).value);
  if (empty) fieldOf(form, empty).focus();
  else htmx.trigger(form, "submit");
}

function takeAxes({ x, y, angle }) {
  draft = { axes: { ...(drawn.axes ?? { xToLeft: false, yDown: false }), x, y, angle } };
  htmx.trigger(fillForm("axes-form", { x, y, angle: Number(angle.toFixed(2)) }), "submit");
}

async function mark([x, y]) {
  const button = chosenButton();
  if (!button) {
    say("Name what is marked first, in card 3.");
    return;
  }
  const picture = film.at;
  const next = picture + drawn.every;
  if (next <= drawn.stop && !steadying) film.show(next);
  const seen = wayOf().find(([k]) => k === picture)?.[4] ?? 0;
  const told = await send(button.dataset.marks, {
    picture,
    x,
    y,
    seen,
    object: button.dataset.object,
  });
  if (!told)
    film.show(picture); // somebody else was there first: it is looked at again
  else if (steadying) steady(steadying - 1);
}

// The same place in the same picture several times, without seeing the marks before, tells how
// steady a hand is.
function steady(left) {
  steadying = left;
  const tell = (text) => (panel().querySelector("[data-shown=followed]").textContent = text);
  if (left) tell(`Mark the same place in this picture ${left} times more.`);
  else tell("See below how steady your hand is. Press it to use it.");
  draw();
}

function chooseRange(start, stop) {
  const form = document.querySelector(".range");
  fieldOf(form, "start").value = start + 1;
  fieldOf(form, "stop").value = stop + 1;
  htmx.trigger(form, "change");
}

// Places in film pixels.
/** @returns {[number, number]} */
function placeOf(event) {
  const { left, top, width, height } = stage.getBoundingClientRect();
  return [
    ((event.clientX - left) / width) * drawn.width,
    ((event.clientY - top) / height) * drawn.height,
  ];
}
/** @type {(one: any, other: any) => boolean} */
const near = ([x, y], [a, b]) => Math.hypot(x - a, y - b) < 11 * over.unit;

stage.addEventListener("pointerdown", (event) => {
  stage.setPointerCapture(event.pointerId);
  const place = placeOf(event);
  cross = place;
  if (act() === "scale") {
    const end = pointsOf("scale").findIndex((one) => near(place, one));
    held = end < 0 ? 1 : end;
    if (end < 0) draft = { scale: [...place, ...place], scaleText: drawn.scaleText };
  } else if (act() === "plane") {
    const away = pointsOf("plane").map(([x, y]) => Math.hypot(x - place[0], y - place[1]));
    held = away.indexOf(Math.min(...away));
  } else if (act() === "axes") {
    held = drawn.axes && near(place, over.armOf(drawn.axes)) ? "arm" : "origin";
  } else held = "mark";
  dragged(place);
});

function dragged(place) {
  if (typeof held === "number") movePoint(act(), held, place);
  else if (held === "arm") draft = { axes: { ...drawn.axes, angle: angleTo(place) } };
  draw();
}

function angleTo([x, y]) {
  const turn = (Math.atan2(drawn.axes.y - y, x - drawn.axes.x) * 180) / Math.PI;
  return drawn.axes.xToLeft ? turn + 180 : turn;
}

stage.addEventListener("pointermove", (event) => {
  cross = placeOf(event);
  if (held === null) draw();
  else dragged(cross);
});
stage.addEventListener("pointerleave", () => {
  if (held === null && document.activeElement !== stage) {
    cross = null;
    draw();
  }
});
stage.addEventListener("pointerup", (event) => {
  const place = placeOf(event);
  const was = held;
  held = null;
  if (typeof was === "number") takePoints(act());
  else if (was === "arm") takeAxes({ ...drawn.axes, angle: angleTo(place) });
  else if (was === "origin") takeAxes({ x: place[0], y: place[1], angle: drawn.axes?.angle ?? 0 });
  else if (was === "mark") mark(place);
});

function set() {
  cross ??= [drawn.width / 2, drawn.height / 2];
  if (act() === "marks") mark(cross);
  else if (act() === "axes") takeAxes({ x: cross[0], y: cross[1], angle: drawn.axes?.angle ?? 0 });
  else if (point !== null) takePoints(act());
  else if (act() === "plane")
    say("Press 1 to 4 to choose a corner, and move it by the arrow keys.");
  else if (!draft) {
    draft = { scale: [...cross, ...cross], scaleText: "" };
    say("One end is set. Move the cross to the other end and press Enter.");
    draw();
  } else {
    draft.scale.splice(2, 2, ...cross);
    say("");
    takeScale(draft.scale);
  }
}

const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
const STEPS = { ",": -1, ".": 1, "PageUp": -10, "PageDown": 10, "Home": "first", "End": "last" };

function step(by) {
  const now = film.wanted ?? film.at;
  if (by === "first") film.show(drawn.start);
  else if (by === "last") film.show(drawn.stop);
  else film.show(now + Number(by) * (Math.abs(Number(by)) === 1 ? drawn.every : 1));
}

document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, select, textarea, form, summary")) return;
  if (event.ctrlKey || event.metaKey) {
    const again = event.code === "KeyY" || (event.code === "KeyZ" && event.shiftKey);
    if (again) document.getElementById("redo-mark")?.click();
    else if (event.code === "KeyZ") document.getElementById("undo-mark")?.click();
    return;
  }
  const { key } = event;
  const onStage = event.target === stage;
  if (key in STEPS) step(STEPS[key]);
  else if (event.target.id === "strip" && ["ArrowLeft", "ArrowRight"].includes(key))
    step(key === "ArrowLeft" ? -1 : 1);
  else if (key === " " && !event.target.closest("button, a")) play();
  else if (onStage && key in ARROWS) {
    const size = event.shiftKey ? 10 : event.altKey ? 0.1 : 1;
    cross ??= [drawn.width / 2, drawn.height / 2];
    cross = [cross[0] + ARROWS[key][0] * size, cross[1] + ARROWS[key][1] * size];
    if (point !== null) movePoint(act(), point, cross);
    draw();
  } else if (onStage && pointsOf(act())[Number(key) - 1]) {
    point = Number(key) - 1;
    cross = pointsOf(act())[point];
    draw();
  } else if (onStage && key === "Enter") set();
  else if (onStage && (key === "Delete" || key === "Backspace")) {
    const button = chosenButton();
    if (button)
      send(button.dataset.marks, {
        picture: film.at,
        x: 0,
        y: 0,
        remove: 1,
        object: button.dataset.object,
      });
  } else return;
  event.preventDefault();
});

function play() {
  const button = document.querySelector("[data-act=play]");
  if (film.isPlaying) film.show(film.at);
  else film.play(drawn.start, drawn.stop);
  button.setAttribute("aria-pressed", String(film.isPlaying));
}

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-step], [data-act]");
  if (button?.dataset.step) step(button.dataset.step);
  else if (button?.dataset.act === "play") play();
  else if (button?.dataset.act === "steady") steady(STEADY);
  else if (button?.dataset.act === "follow") followOn(button.dataset.follow, film, chosen());
});
document.addEventListener("focusin", (event) => turnTo(event.target));
document.addEventListener("pointerdown", (event) => turnTo(event.target));
function turnTo(target) {
  const card = target.closest?.("[data-card]")?.dataset.card;
  if (!card || card === act()) return;
  panel().dataset.act = card;
  target.closest("details")?.scrollIntoView({ block: "nearest" });
  renewed();
}

takeTurns();
new ResizeObserver(draw).observe(stage);
const begin = () => film.show(drawn.start);
if (videos[0].readyState >= 2) begin();
else videos[0].addEventListener("loadeddata", begin, { once: true });
renewed();
