// Keeps what a page has of a run whole while it grows: batches as they come, and what was missed
// asked for by index, so a late or slow page shows the whole run.
import { reach } from "../shell/js/answers.js";
import { unpack } from "../shell/js/live.js";
import { take, unpackRows } from "./traces.js";

// Ask for the readings from where this page stands; an asking that is under way is not doubled.
function ask(run, place) {
  const stream = run.streams[place];
  stream.asking ??= fetchMissed(stream, place).finally(() => (stream.asking = null));
  return stream.asking;
}

async function fetchMissed(stream, place) {
  const asked = `${stream.missed}?from=${stream.t.length}&stream=${place}`;
  const answer = await reach(asked);
  if (!answer?.ok) return;
  if (Number(answer.headers.get("X-First-Index")) !== stream.t.length) return;
  await takeRows(stream, answer);
}

export function askForMissed(run) {
  return Promise.all(run.streams.map((_, place) => ask(run, place)));
}

// Fill a stream of a run that is over, as the server told of it.
export async function fill(stream) {
  if (stream.rows) {
    take(
      stream,
      stream.rows[0],
      stream.rows.slice(1).map((column) => column.map((value) => value ?? NaN)),
    );
    return;
  }
  const answer = await reach(stream.missed);
  if (answer?.ok) await takeRows(stream, answer);
}

async function takeRows(stream, answer) {
  const rows = await unpackRows(answer);
  if (rows) take(stream, rows.t, rows.columns);
}

// Ask for the last readings of a run that has ended: after what was under way before the end.
export async function askForTheLast(run) {
  await Promise.all(run.streams.map((stream) => stream.asking));
  await askForMissed(run);
}

export function receive(run, batch) {
  if (run?.id !== batch.run) return;
  const stream = run.streams[batch.stream];
  const { t, columns } = unpack(batch);
  const already = stream.t.length - batch.first; // readings of this batch that are here already
  if (already < 0) {
    ask(run, batch.stream);
    return;
  }
  if (already >= t.length || stream.asking) return;
  take(
    stream,
    t.subarray(already),
    columns.map((column) => column.subarray(already)),
  );
}
