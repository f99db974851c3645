// The film of a clip: shows picture k, whatever its time, and tells which one is shown.
// Owns the <video>. A picture is asked for in the middle of its time, so that no rounding of the
// container's times shows its neighbour; of fast steps only the last one is waited for.

const LAST = 0.001; // s after the last picture's time

export class Film {
  constructor(video, ticks, shown) {
    this.video = video;
    this.ticks = ticks;
    this.shown = shown;
    this.at = 0;
    video.addEventListener("seeked", () => this.arrived());
    video.addEventListener("pause", () => this.stopped());
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

  show(k) {
    this.video.pause();
    this.wanted = Math.min(Math.max(Math.round(k), 0), this.count - 1);
    if (!this.seeking) this.seek();
  }

  seek() {
    this.seeking = this.wanted;
    this.isSeeking = true;
    this.video.currentTime = this.middle(this.wanted);
  }

  arrived() {
    if (!this.isSeeking) return;
    this.isSeeking = false;
    this.at = this.seeking;
    this.seeking = null;
    this.shown(this.at);
    if (this.wanted !== this.at) this.seek();
  }

  get isPlaying() {
    return !this.video.paused;
  }

  // Play from the picture that is shown, to the last one that is measured, and from the first again.
  play(start, stop) {
    if (this.at >= stop || this.at < start) this.video.currentTime = this.middle(start);
    this.video.play();
    const follow = (_, { mediaTime }) => {
      if (!this.isPlaying) return;
      this.at = this.near(mediaTime);
      this.shown(this.at);
      if (this.at >= stop) this.video.currentTime = this.middle(start);
      this.video.requestVideoFrameCallback(follow);
    };
    this.video.requestVideoFrameCallback(follow);
  }

  stopped() {
    if (!this.isSeeking) this.show(this.at);
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
