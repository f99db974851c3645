// Runs beside the page, in the browser's audio thread: gathers samples into batches of 16-bit
// whole numbers and hands each on with the index of its first sample.
class Listener extends AudioWorkletProcessor {
  constructor({ processorOptions }) {
    super();
    this.batch = new Int16Array(processorOptions.batch);
    this.filled = 0;
    this.first = 0;
  }

  process([input]) {
    const samples = input[0] ?? new Float32Array(128);
    for (const sample of samples) {
      this.batch[this.filled++] = Math.max(-32768, Math.min(32767, Math.round(sample * 32768)));
      if (this.filled === this.batch.length) {
        this.port.postMessage({ first: this.first, samples: this.batch.slice() });
        this.first += this.filled;
        this.filled = 0;
      }
    }
    return true;
  }
}

registerProcessor("listener", Listener);
