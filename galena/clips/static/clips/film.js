// The film of a clip: shows picture k, whatever its time, and tells which one is shown.
// Owns two <video> elements with the same film: one is seen, the other already stands at the picture
// that the next step will want, so that a step is no more than a change of both. A picture is asked
// for in the middle of its time, so that no rounding of the container's times shows its neighbour.

const LAST = 0.001; // s after the last picture's time
const CATCH_UP = 2; // a film that plays along and is a second off is made this much faster
const FAR = 0.7; // s off, beyond which it jumps
const JUMP = 0.15; // s that a jump takes
const FASTEST = 4; // times its speed that a film is played; beyond, single pictures are shown

export class Film {
  // videos: the one that is seen first, and the one behind it; shown: told of each picture.
  constructor(videos, ticks, shown) {
    this.seen = videos[0];
    this.behind = videos[1];
    this.ticks = ticks;
    this.shown = shown;
    this.at = 0;
    this.ready = null; // the picture at which the one behind stands
    for (const video of videos) video.addEventListener("seeked", () => this.arrived(video));
  }

  get count() {
    return this.ticks.length;
  }

  seconds(k) {
    return this.ticks[k] / 1e6;
  }

  middle(k) {
    if (k + 1 < this.count) return (this.seconds(k) + this.seconds(k + 1)) / 2;
    return this.seconds(k) + LAST;
  }

  within(k) {
    return Math.min(Math.max(Math.round(k), 0), this.count - 1);
  }

  // Show a picture; of fast steps only the last one is waited for.
  show(k) {
    this.seen.pause();
    this.wanted = this.within(k);
    if (this.ready === this.wanted && this.seeking === undefined) this.change();
    else if (this.seeking === undefined) this.seek();
  }

  // The picture that is wanted stands ready behind: it comes to the front.
  change() {
    [this.seen, this.behind] = [this.behind, this.seen];
    this.seen.classList.remove("behind");
    this.behind.classList.add("behind");
    this.took(this.ready);
  }

  seek() {
    this.seeking = this.wanted;
    if (this.seen.readyState < HTMLMediaElement.HAVE_METADATA) {
      this.seen.addEventListener("loadedmetadata", () => this.seek(), { once: true });
      return;
    }
    this.seen.currentTime = this.middle(this.wanted);
  }

  arrived(video) {
    if (video.seeking) return; // it is on its way elsewhere already
    if (video === this.behind) {
      this.ready = this.foreseen;
      return;
    }
    if (this.seeking === undefined) return;
    const at = this.seeking;
    this.seeking = undefined;
    this.took(at);
  }

  took(k) {
    const step = k - this.at;
    this.at = k;
    this.shown(k);
    if (this.wanted !== k) this.show(this.wanted);
    else this.foresee(k + (step || 1));
  }

  // Have the picture that the same step again would want stand behind.
  foresee(k) {
    const next = this.within(k);
    this.ready = null;
    this.foreseen = next;
    this.behind.currentTime = this.middle(next);
  }

  // Stand at a time of the film, s.
  stand(seconds) {
    const k = this.near(seconds);
    if (k !== this.at || this.wanted === undefined || !this.seen.paused) this.show(k);
  }

  // Play along with something that is at a time of the film now and goes on at a speed.
  goAlong(seconds, speed) {
    if (speed > FASTEST) {
      this.stand(seconds);
      return;
    }
    const video = this.seen;
    const away = (seconds - video.currentTime) / speed;
    // A little off is made good by its pace; only far off it jumps, to where it will be then.
    video.playbackRate = speed * Math.min(Math.max(1 + CATCH_UP * away, 0.5), 2);
    if (Math.abs(away) > FAR && !video.seeking) video.currentTime = seconds + JUMP * speed;
    if (!video.paused) return;
    this.wanted = this.seeking = undefined;
    video.play().catch(() => {}); // stopped again before it began
    const follow = (_, { mediaTime }) => {
      if (video.paused) return;
      this.at = this.near(mediaTime);
      this.shown(this.at);
      video.requestVideoFrameCallback(follow);
    };
    video.requestVideoFrameCallback(follow);
  }

  get isPlaying() {
    return !this.seen.paused;
  }

  // Play from the picture that is shown, to the last one that is measured, and from the first again.
  play(start, stop) {
    const video = this.seen;
    if (this.at >= stop || this.at < start) video.currentTime = this.middle(start);
    video.play();
    const follow = (_, { mediaTime }) => {
      if (video.paused) return;
      this.at = this.near(mediaTime);
      this.shown(this.at);
      if (this.at >= stop) video.currentTime = this.middle(start);
      video.requestVideoFrameCallback(follow);
    };
    video.requestVideoFrameCallback(follow);
  }

  // The picture that is shown at a time.
  near(seconds) {
    const tick = seconds * 1e6 + 500;
    let [lo, hi] = [0, this.count - 1];
    while (lo < hi) {
      const middle = Math.ceil((lo + hi) / 2);
      if (this.ticks[middle] <= tick) lo = middle;
      else hi = middle - 1;
    }
    return lo;
  }
}
