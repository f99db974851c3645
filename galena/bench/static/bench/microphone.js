// This device's microphone as an instrument: asks for permission, says why it cannot be, and sends
// what it hears in short batches. It computes nothing: levels come from the server.
// Owns #microphone. It goes on from page to page until it is told to stop.
import { contentOf, reach } from "../shell/js/answers.js";
import { say } from "../shell/js/frame.js";

const BATCH = 4096; // samples
const box = document.getElementById("microphone");
const button = box.querySelector("button");
const status = box.querySelector("[role=status]");
const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
let context = null;
let sending = Promise.resolve();
let stopped = false;

const REASONS = {
  NotAllowedError:
    "The browser may not use the microphone. Allow it beside the page's address, then press again.",
  NotFoundError: "This device has no microphone. Plug one in, then press again.",
  NotReadableError: "Another program holds the microphone. Close it, then press again.",
};

const random = () =>
  [...crypto.getRandomValues(new Uint8Array(4))]
    .map((byte) => byte.toString(16).padStart(2, "0"))
    .join("");

function serial() {
  let key = localStorage.getItem("galena-microphone");
  if (!key) localStorage.setItem("galena-microphone", (key = random()));
  return key;
}

async function listen() {
  if (!navigator.mediaDevices?.getUserMedia) {
    tell("The browser gives a microphone only to pages of this computer or over https.");
    return;
  }
  try {
    const stream = await navigator.mediaDevices.getUserMedia({
      audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false },
    });
    context = new AudioContext();
    await context.audioWorklet.addModule(box.dataset.listener);
    const node = new AudioWorkletNode(context, "listener", { processorOptions: { batch: BATCH } });
    const listening = random();
    const rate = context.sampleRate; // samples may still come once the context is closed
    stopped = false;
    node.port.onmessage = ({ data: { first, samples } }) => queue(listening, rate, first, samples);
    context.createMediaStreamSource(stream).connect(node);
    await context.resume();
    stream.getTracks()[0].addEventListener("ended", () => stop("The microphone was taken away."));
    sessionStorage.setItem("galena-listening", "yes");
    button.textContent = "Stop listening";
    tell("");
  } catch (error) {
    context?.close();
    context = null;
    tell(REASONS[error.name] ?? `The microphone cannot be used (${error.message}).`);
  }
}

// One batch after the other, so that they arrive in order; a slow server never piles them up.
let waiting = 0;
function queue(listening, rate, first, samples) {
  if (waiting > 20 || stopped) return;
  waiting += 1;
  sending = sending.then(() => send(listening, rate, first, samples)).finally(() => (waiting -= 1));
}

async function send(listening, rate, first, samples) {
  if (stopped) return;
  const query = new URLSearchParams({
    serial: serial(),
    listening,
    rate: String(Math.round(rate)),
    first,
  });
  const answer = await reach(`${box.dataset.hear}?${query}`, {
    method: "POST",
    body: samples,
    headers: { "X-CSRFToken": token, "Content-Type": "application/octet-stream" },
  });
  const told = await contentOf(answer, "text");
  if (told === null)
    say("The server does not answer. What the microphone hears is lost until it does.");
  else if (answer.status === 400 || answer.status === 409) stop(told);
  else if (answer.status === 403) stop("You are signed out. Load the page again and sign in.");
  else say("");
}

function stop(why = "") {
  stopped = true;
  sessionStorage.removeItem("galena-listening");
  context?.close();
  context = null;
  button.textContent = "Use this device's microphone";
  tell(why);
}

function tell(why) {
  status.textContent = why;
  box.hidden = "quiet" in box.dataset && !why && !context;
}

button.addEventListener("click", () => (context ? stop() : listen()));
if (sessionStorage.getItem("galena-listening")) listen();
