// A tape: what a microphone hears, or a simulated one for machines without, kept with the audio clock's time of every frame.

const MOST_S = 180; // what is older is forgotten

/**
 * @param {AudioContext} context
 * @param {{ kind: string, worklet: string, simulated: string }} how kind: "simulated" or the microphone; addresses
 */
export async function openTape(context, { kind, worklet, simulated }) {
  await context.audioWorklet.addModule(worklet);
  if (kind === "simulated") {
    const answer = await fetch(simulated);
    const source = context.createBufferSource();
    source.buffer = await context.decodeAudioData(await answer.arrayBuffer());
    source.loop = true;
    return new Tape(context, source, null);
  }
  const quality = { echoCancellation: false, noiseSuppression: false, autoGainControl: false, channelCount: 1 };
  const stream = await navigator.mediaDevices.getUserMedia({ audio: quality });
  return new Tape(context, context.createMediaStreamSource(stream), stream);
}

/** @param {any} error of openTape */
export function whyNot(error) {
  if (error.name === "NotAllowedError") return "The microphone was not allowed: allow it in the browser, or choose the simulated one.";
  if (error.name === "NotFoundError") return "No microphone was found: plug one in, or choose the simulated one.";
  return `Recording could not begin: ${error.message}`;
}

class Tape {
  /**
   * @param {AudioContext} context
   * @param {any} source
   * @param {MediaStream | null} stream null: it is simulated
   */
  constructor(context, source, stream) {
    this.context = context;
    this.source = source;
    this.stream = stream;
    /** @type {{ frame: number, samples: Float32Array }[]} */
    this.blocks = [];
    this.heard = (/** @type {number} */ _peak) => {};
    this.node = new AudioWorkletNode(context, "tape", { numberOfOutputs: 1, channelCount: 1, channelCountMode: "explicit" });
    this.node.port.onmessage = ({ data }) => this.take(data);
    this.quiet = context.createGain();
    this.quiet.gain.value = 0; // the tape must be heard to run, but not by anyone
    source.connect(this.node).connect(this.quiet).connect(context.destination);
  }

  // How late the microphone's sound is against what is played.
  get latency_s() {
    if (!this.stream) return 0;
    const own = /** @type {any} */ (this.stream.getAudioTracks()[0].getSettings()).latency || 0;
    return (this.context.outputLatency || 0) + (this.context.baseLatency || 0) + own;
  }

  /** @param {number} at when a simulated one begins to sound */
  begin(at) {
    if (!this.stream) this.source.start(at);
  }

  /** @param {{ frame: number, samples: Float32Array }} block */
  take({ frame, samples }) {
    this.blocks.push({ frame, samples });
    const oldest = frame - MOST_S * this.context.sampleRate;
    while (this.blocks[0].frame < oldest) this.blocks.shift();
    let peak = 0;
    for (const sample of samples) peak = Math.max(peak, Math.abs(sample));
    this.heard(peak);
  }

  get end_s() {
    const last = this.blocks.reduce((most, one) => Math.max(most, one.frame + one.samples.length), 0);
    return last / this.context.sampleRate;
  }

  /**
   * What was heard between two times of the audio's clock.
   * @param {number} from_s
   * @param {number} to_s
   */
  cut(from_s, to_s) {
    const rate = this.context.sampleRate;
    const [first, end] = [Math.round(from_s * rate), Math.round(to_s * rate)];
    const line = new Float32Array(Math.max(0, end - first));
    for (const { frame, samples } of this.blocks) {
      if (frame + samples.length <= first || frame >= end) continue;
      for (let at = Math.max(0, first - frame); at < samples.length && frame + at < end; at += 1) line[frame + at - first] = samples[at];
    }
    return line;
  }

  close() {
    this.node.port.close();
    this.node.disconnect();
    this.stream?.getTracks().forEach((track) => track.stop());
    try {
      if (!this.stream) this.source.stop();
    } catch {
      // it had not begun
    }
    this.source.disconnect();
  }
}

/**
 * 24-bit mono WAV.
 * @param {any} samples
 * @param {number} rate
 * @param {number[]} marks frames at which it has cue points
 */
export function wav(samples, rate, marks = []) {
  const size = samples.length * 3;
  const after = 44 + size + (size % 2);
  const cue = marks.length ? 12 + 24 * marks.length : 0;
  const bytes = new DataView(new ArrayBuffer(after + cue));
  const text = (/** @type {number} */ at, /** @type {string} */ words) => [...words].forEach((letter, place) => bytes.setUint8(at + place, letter.charCodeAt(0)));
  text(0, "RIFF");
  bytes.setUint32(4, after + cue - 8, true);
  text(8, "WAVEfmt ");
  bytes.setUint32(16, 16, true);
  bytes.setUint16(20, 1, true);
  bytes.setUint16(22, 1, true);
  bytes.setUint32(24, rate, true);
  bytes.setUint32(28, rate * 3, true);
  bytes.setUint16(32, 3, true);
  bytes.setUint16(34, 24, true);
  text(36, "data");
  bytes.setUint32(40, size, true);
  if (cue) {
    text(after, "cue ");
    bytes.setUint32(after + 4, 4 + 24 * marks.length, true);
    bytes.setUint32(after + 8, marks.length, true);
  }
  marks.forEach((frame, number) => {
    const at = after + 12 + 24 * number;
    bytes.setUint32(at, number + 1, true);
    bytes.setUint32(at + 4, frame, true);
    text(at + 8, "data");
    bytes.setUint32(at + 20, frame, true);
  });
  samples.forEach((/** @type {any} */ sample, /** @type {any} */ place) => {
    const value = Math.round(Math.max(-1, Math.min(1, sample)) * 8388607);
    const at = 44 + place * 3;
    bytes.setUint8(at, value & 255);
    bytes.setUint8(at + 1, (value >> 8) & 255);
    bytes.setUint8(at + 2, (value >> 16) & 255);
  });
  return bytes.buffer;
}

