// A glass of four times beside the cross. Owns its <canvas>; it stands where it hides neither the
// cross nor, as far as there is room, the way that was marked.
const TIMES = 4;
const AWAY = 34; // screen pixels from the cross

export class Glass {
  constructor(canvas, stage) {
    this.canvas = canvas;
    this.stage = stage;
  }

  // video: what is looked at; cross: in film pixels; size: [width, height] of the film; way: the
  // marks so far, in film pixels.
  show(video, cross, size, way) {
    const { canvas } = this;
    canvas.hidden = !cross;
    if (!cross || !video.videoWidth) return;
    const ratio = video.videoWidth / size[0];
    const wide = canvas.width / TIMES;
    const context = canvas.getContext("2d");
    context.fillStyle = "#888";
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.drawImage(
      video,
      cross[0] * ratio - wide / 2,
      cross[1] * ratio - wide / 2,
      wide,
      wide,
      0,
      0,
      canvas.width,
      canvas.height,
    );
    this.hairs(context);
    this.place(cross, size, way);
  }

  hairs(context) {
    const middle = this.canvas.width / 2;
    context.strokeStyle = "#c8781e";
    context.lineWidth = 1;
    context.beginPath();
    for (const [from, to] of [
      [4, middle - 9],
      [middle + 9, 2 * middle - 4],
    ]) {
      context.moveTo(from, middle + 0.5);
      context.lineTo(to, middle + 0.5);
      context.moveTo(middle + 0.5, from);
      context.lineTo(middle + 0.5, to);
    }
    context.stroke();
  }

  place(cross, size, way) {
    const { clientWidth: wide, clientHeight: high } = this.stage;
    const own = this.canvas.width;
    const at = [(cross[0] / size[0]) * wide, (cross[1] / size[1]) * high];
    const corners = [1, -1].flatMap((right) =>
      [1, -1].map((down) => [
        right > 0 ? at[0] + AWAY : at[0] - AWAY - own,
        down > 0 ? at[1] + AWAY : at[1] - AWAY - own,
      ]),
    );
    const hidden = ([left, top]) =>
      way.filter(([, x, y]) => {
        const [px, py] = [(x / size[0]) * wide, (y / size[1]) * high];
        return px > left && px < left + own && py > top && py < top + own;
      }).length;
    const beyond = ([left, top]) =>
      Math.max(0, -left, left + own - wide) + Math.max(0, -top, top + own - high);
    const cost = (corner) => hidden(corner) + beyond(corner);
    const [left, top] = corners.reduce((best, one) => (cost(one) < cost(best) ? one : best));
    this.canvas.style.left = `${Math.min(Math.max(0, left), wide - own)}px`;
    this.canvas.style.top = `${Math.min(Math.max(0, top), high - own)}px`;
  }
}
