// One film from a camera: recorded in pieces of a second, and sent one behind the other once it is
// kept. What cannot be sent is held and tried again; what was sent is there, whatever happens here.
import { contentOf, reach } from "../shell/js/answers.js";
import { post, token } from "../shell/js/frame.js";

const KINDS = ["video/webm;codecs=vp8", "video/webm", "video/mp4"];
const PIECE = 1000; // ms
const RATE = 5_000_000; // bits a second
const LARGEST = 4_000_000; // bytes that one request brings
const AGAIN = 1000; // ms until what could not be sent is tried again
const TRIPS = 5; // to the server's clock, with the first and the last telling

export class Take {
  // addresses: of the server's clock and of a new film; told: hears how it goes.
  constructor(stream, { clock, film }, told) {
    this.clock = clock;
    this.film = film;
    this.told = told;
    this.run = null;
    this.sent = 0;
    this.pieces = [];
    const mimeType = KINDS.find((kind) => MediaRecorder.isTypeSupported(kind));
    this.recorder = new MediaRecorder(stream, { mimeType, videoBitsPerSecond: RATE });
    this.recorder.addEventListener("dataavailable", ({ data }) => {
      if (data.size) this.pieces.push(data);
      this.wake?.();
    });
    this.recorder.addEventListener("stop", () => {
      this.ended = true;
      this.wake?.();
    });
    this.begun = performance.now(); // its times count from here, as browsers record
    this.recorder.start(PIECE);
  }

  get age() {
    return performance.now() - this.begun;
  }

  // It is the film of a run, or of none: it is sent from now on.
  keep(run) {
    this.run = run;
    this.sending = this.send();
  }

  stop() {
    if (this.recorder.state !== "inactive") this.recorder.stop();
  }

  drop() {
    this.pieces = [];
    this.stop();
  }

  // The page goes: what was sent so far is the film.
  leave() {
    if (!this.begunAs) return;
    const form = new FormData();
    for (const [name, value] of Object.entries(this.facts())) form.append(name, value);
    form.append("done", "1");
    form.append("csrfmiddlewaretoken", token());
    navigator.sendBeacon(this.begunAs.filmed, form);
  }

  facts() {
    const first = String(this.begun);
    return this.run === null ? { first } : { first, run: String(this.run) };
  }

  async send() {
    const begun = await this.answered(() => post(this.film, {}));
    if (begun.trouble) return this.give(begun.trouble);
    this.begunAs = begun;
    await this.tell(TRIPS);
    for (;;) {
      if (this.pieces.length) {
        const trouble = await this.sendPiece();
        if (trouble) {
          this.give(trouble);
          break;
        }
        await this.tell(1);
        this.told({ seconds: this.age / 1000, bytes: this.sent });
      } else if (this.ended) break;
      else await new Promise((wake) => (this.wake = () => wake(null)));
    }
    const last = await this.tell(TRIPS, { done: "1" });
    this.told(last.trouble ? last : { page: begun.page });
  }

  give(trouble) {
    this.told({ trouble });
    this.drop();
  }

  async sendPiece() {
    const piece = this.pieces[0].slice(0, LARGEST);
    const answer = await this.answered(() =>
      reach(`${this.begunAs.piece}?at=${this.sent}`, {
        method: "POST",
        body: piece,
        headers: { "X-CSRFToken": token(), "Content-Type": "application/octet-stream" },
      }),
    );
    if (answer.trouble) return answer.trouble;
    const rest = this.pieces[0].slice(answer.sent - this.sent);
    this.sent = answer.sent;
    if (rest.size) this.pieces[0] = rest;
    else this.pieces.shift();
  }

  async tell(count, more = {}) {
    const trips = await this.trips(count);
    return this.answered(() => post(this.begunAs.filmed, { ...this.facts(), trips, ...more }));
  }

  // Round trips to the server's clock: when it was asked, what it said, when that came.
  async trips(count) {
    const trips = [];
    for (let i = 0; i < count; i++) {
      const asked = performance.now();
      const answer = await reach(this.clock);
      const came = performance.now();
      const told = answer?.ok ? await contentOf(answer) : null;
      if (told) trips.push([asked, told.us, came].join(","));
    }
    return trips.join(";");
  }

  // Ask until an answer comes: a server that is away for a moment loses nothing.
  async answered(ask) {
    for (;;) {
      const answer = await ask();
      const told = await contentOf(answer);
      if (told) return told;
      if (answer && answer.status < 500)
        return { trouble: "The film is not taken any more. Load the page again." };
      this.told({ trouble: "The server does not answer. The film is held here and sent again." });
      await new Promise((wait) => setTimeout(wait, AGAIN));
    }
  }
}
