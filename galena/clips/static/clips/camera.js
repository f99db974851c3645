// The camera on Record: shown before, started and stopped with the run, and sent while it films.
// Owns #camera. Hears the phases of the run. Each film tells the server how both clocks stand, so
// that it can be tied to the run there.
import { Take } from "./take.js";

const box = document.getElementById("camera");
const seen = /** @type {HTMLVideoElement} */ (box.querySelector("video"));
const choice = /** @type {HTMLSelectElement} */ (box.querySelector("select"));
const status = box.querySelector("[role=status]");
const TURN = 60_000; // ms: while a run is waited for, a film is begun anew so often
const SOON = 4000; // ms in which a run begins that was asked for
const OVERLAP = 15_000; // ms that the one before goes on beside it, for what was before the event

const REASONS = {
  NotAllowedError:
    "The browser may not use the camera. Allow it beside the page's address, then press again.",
  NotFoundError: "This device has no camera. Plug one in, or bring a clip.",
  NotReadableError: "Another program holds the camera. Close it, then press again.",
  OverconstrainedError: "This camera is gone. Choose another one.",
};

let stream = null;
/** @type {Take[]} */
let waiting = []; // films begun while a run is waited for; the oldest one becomes its film
let filming = null; // the one that is kept
let isAwaited = false; // a run waits for its event

async function open(device = "") {
  if (!navigator.mediaDevices?.getUserMedia) {
    say(
      "Browsers give a camera only to pages of this computer or over https. Film with another device and bring the clip.",
    );
    return;
  }
  const wish = { width: { ideal: 1280 }, height: { ideal: 720 }, frameRate: { ideal: 30 } };
  try {
    const video = device ? { ...wish, deviceId: { exact: device } } : wish;
    const next = await navigator.mediaDevices.getUserMedia({ video, audio: false });
    stop();
    stream?.getTracks().forEach((track) => track.stop());
    stream = next;
  } catch (error) {
    say(REASONS[error.name] ?? `The camera cannot be used (${error.message}).`);
    return;
  }
  const [track] = stream.getVideoTracks();
  track.addEventListener("ended", () => close("The camera was taken away."));
  seen.srcObject = stream;
  await seen.play();
  await nameCameras(track.getSettings().deviceId);
  show(true);
  say("It starts and stops with the run.");
}

async function nameCameras(chosen) {
  const devices = await navigator.mediaDevices.enumerateDevices();
  const cameras = devices.filter(({ kind }) => kind === "videoinput");
  choice.replaceChildren(
    ...cameras.map(
      ({ deviceId, label }, place) => new Option(label || `camera ${place + 1}`, deviceId),
    ),
  );
  choice.value = chosen;
}

function show(on) {
  box.querySelector("[data-when=off]").hidden = on;
  box.querySelector("[data-when=on]").hidden = !on;
}

function close(why = "") {
  stop();
  stream?.getTracks().forEach((track) => track.stop());
  stream = null;
  seen.srcObject = null;
  show(false);
  say(why);
}

function say(words) {
  status.textContent = words;
}

function begin() {
  return new Take(stream, box.dataset, tell);
}

// One film is kept for the run, from before its start on.
function keep(run) {
  filming = waiting.shift() ?? begin();
  letGo();
  filming.keep(run);
  box.querySelector("[data-camera=alone]").textContent = "Stop filming";
  box.dataset.filming = "yes";
}

// Those that are younger may still be of a run that is just being started.
function letGo(than = 0) {
  for (const take of waiting) if (take.age >= than) take.drop();
  waiting = waiting.filter(({ age }) => age < than);
}

function stop() {
  letGo();
  filming?.stop();
  filming = null;
  delete box.dataset.filming;
  box.querySelector("[data-camera=alone]").textContent = "Film alone";
}

function tell({ seconds, bytes, trouble, page }) {
  if (trouble) say(trouble);
  else if (page) {
    const link = Object.assign(document.createElement("a"), {
      href: page,
      textContent: "the film",
    });
    status.replaceChildren("Kept: ", link, ".");
  } else say(`filming ${seconds.toFixed(0)} s · ${(bytes / 1e6).toFixed(1)} MB sent`);
}

// While a run is waited for the film is begun anew now and then, so that it does not grow for ever.
setInterval(() => {
  if (!isAwaited) letGo(SOON);
  if (!stream || !waiting.length) return;
  const [first, second] = waiting;
  if (second?.age > OVERLAP) waiting.shift().drop();
  else if (!second && first.age > TURN) waiting.push(begin());
}, 1000);

document.addEventListener("phase", (event) => {
  if (!stream) return;
  const { phase, status: now } = /** @type {CustomEvent} */ (event).detail;
  if (filming && filming.run === null) return; // filmed alone
  if (phase === "recording") {
    if (filming && filming.run !== now.number) stop();
    if (!filming) keep(now.number);
  } else {
    if (filming) stop();
    isAwaited = phase === "armed";
    if (isAwaited && !waiting.length) waiting.push(begin());
    if (!isAwaited) letGo(SOON);
  }
});
// Begun with the press, before the server has begun the run: its start is then in the film.
document.addEventListener("htmx:beforeRequest", (event) => {
  if (stream && !filming && !waiting.length && event.target.id === "act") waiting.push(begin());
});

box.addEventListener("click", ({ target }) => {
  const act = /** @type {HTMLElement} */ (target).dataset?.camera;
  if (act === "open") open();
  else if (act === "close") close();
  else if (act === "alone" && filming) stop();
  else if (act === "alone") keep(null);
});
choice.addEventListener("change", () => open(choice.value));
addEventListener("pagehide", () => filming?.leave());
