// Recording in the page: from the microphone, or from a simulated one for machines without. After a count-in the
// sound is taken down from the first beat on, latency taken off, and brought in like any file.

import { upload } from "./loop_upload.js";
import { byId } from "../../shared/dom.js";

const MOST_S = 120;
const CLICK_HZ = { first: 1600, other: 1100 };

export class Recorder {
  /** @type {any} */
  blocks;
  /** @param {any} loops */
  constructor(loops) {
    this.loops = loops;
    this.stage = "idle"; // "idle", "counting", "recording"
    document.addEventListener("click", (event) => event.target.closest?.("#record-go") && this.press());
    window.addEventListener("popstate", () => this.drop());
  }

  get player() {
    return this.loops.player;
  }

  async press() {
    if (this.stage === "idle") await this.begin();
    else if (this.stage === "recording") await this.finish();
    else this.drop();
  }

  /**
   * @param {string} words
   * @param {any} [wrong]
   */
  say(words, wrong = false) {
    const place = byId("record-state");
    if (!place) return;
    place.textContent = words;
    place.classList.toggle("warning", wrong);
  }

  async begin() {
    try {
      await this.player.ready();
      const { context } = this.player;
      await context.audioWorklet.addModule(byId("record-go").dataset.worklet);
      await this.open(byId("record-source").value);
      this.tape = new AudioWorkletNode(context, "tape", { numberOfOutputs: 1, channelCount: 1, channelCountMode: "explicit" });
      /** @type {any[]} */
      this.blocks = [];
      this.tape.port.onmessage = ({ data }) => this.take(data);
      const quiet = context.createGain();
      quiet.gain.value = 0; // the tape must be heard to run, but not by anyone
      this.source.connect(this.tape).connect(quiet).connect(context.destination);
    } catch (/** @type {any} */ error) {
      this.drop();
      const refused = error.name === "NotAllowedError" ? "The microphone was not allowed: allow it in the browser, or choose the simulated one." : error.name === "NotFoundError" ? "No microphone was found: plug one in, or choose the simulated one." : `Recording could not begin: ${error.message}`;
      this.say(refused, true);
      return;
    }
    this.count();
  }

  /** @param {string} kind */
  async open(kind) {
    const { context } = this.player;
    if (kind === "simulated") {
      const answer = await fetch(byId("record-go").dataset.simulated);
      const buffer = await context.decodeAudioData(await answer.arrayBuffer());
      /** @type {any} */
      this.source = context.createBufferSource();
      this.source.buffer = buffer;
      this.source.loop = true;
      this.simulated = true;
    } else {
      const quality = { echoCancellation: false, noiseSuppression: false, autoGainControl: false, channelCount: 1 };
      /** @type {any} */
      this.stream = await navigator.mediaDevices.getUserMedia({ audio: quality });
      this.source = context.createMediaStreamSource(this.stream);
      this.simulated = false;
    }
  }

  // A click a beat; the take begins on the first beat after them.
  count() {
    const { context } = this.player;
    const { song } = this.loops.page;
    const [beats, unit] = song.metre.split("/").map(Number);
    const beat_s = (60 / song.tempo_bpm) * (4 / unit);
    const bars = Number(byId("record-count").value);
    const start = context.currentTime + 0.15;
    for (let beat = 0; beat < bars * beats; beat += 1) this.clickAt(start + beat * beat_s, beat % beats === 0);
    this.from = start + bars * beats * beat_s;
    this.latency_s = this.simulated ? 0 : (context.outputLatency || 0) + (context.baseLatency || 0) + (this.stream.getAudioTracks()[0].getSettings().latency || 0);
    if (this.simulated) this.source.start(this.from);
    this.stage = "counting";
    this.show();
    this.timer = setInterval(() => this.tick(), 60);
  }

  /**
   * @param {number} at
   * @param {any} first
   */
  clickAt(at, first) {
    const { context } = this.player;
    const tone = context.createOscillator();
    const gain = context.createGain();
    tone.frequency.value = first ? CLICK_HZ.first : CLICK_HZ.other;
    gain.gain.setValueAtTime(0.3, at);
    gain.gain.exponentialRampToValueAtTime(0.001, at + 0.05);
    tone.connect(gain).connect(this.player.master);
    tone.start(at);
    tone.stop(at + 0.06);
  }

  /** @param {any} options */
  take({ frame, samples }) {
    if (this.stage === "idle") return;
    this.blocks.push({ frame, samples });
    let peak = 0;
    for (const sample of samples) peak = Math.max(peak, Math.abs(sample));
    this.peak = Math.max(peak, (this.peak ?? 0) * 0.96);
  }

  tick() {
    const meter = byId("record-meter");
    if (!meter) {
      this.drop();
      return;
    }
    meter.value = String(Math.min(1, this.peak ?? 0));
    const since = this.player.context.currentTime - this.from;
    if (since >= 0 && this.stage === "counting") this.stage = "recording";
    if (this.stage === "counting") this.say(`begins in ${(-since).toFixed(1)} s`);
    else {
      this.say(`${since.toFixed(1)} s${(this.peak ?? 0) >= 0.99 ? ", too loud: it is clipping" : ""}`);
      if (since > MOST_S) this.finish();
    }
    this.show();
  }

  show() {
    const button = byId("record-go");
    if (button) button.textContent = { idle: "Record", counting: "Stop counting", recording: "Stop and listen" }[this.stage] ?? "";
  }

  async finish() {
    const { context } = this.player;
    const rate = context.sampleRate;
    const first = Math.round((this.from + this.latency_s) * rate);
    const blocks = this.blocks.sort((/** @type {any} */ one, /** @type {any} */ other) => one.frame - other.frame);
    const end = blocks.length ? blocks[blocks.length - 1].frame + blocks[blocks.length - 1].samples.length : first;
    const { latency_s } = this;
    this.drop();
    if (end - first < rate * 0.3) {
      this.say("That was too short: record at least a beat or two.", true);
      return;
    }
    const line = new Float32Array(end - first);
    for (const { frame, samples } of blocks) for (let at = 0; at < samples.length; at += 1) if (frame + at >= first) line[frame + at - first] = samples[at];
    const name = `take ${new Date().toTimeString().slice(0, 8).replaceAll(":", "-")}.wav`;
    this.say(latency_s > 0.001 ? `${Math.round(latency_s * 1000)} ms of latency taken off` : "");
    upload(this.loops, new File([wav(line, rate)], name, { type: "audio/wav" }));
  }

  drop() {
    clearInterval(this.timer);
    this.tape?.port.close();
    this.tape?.disconnect();
    this.stream?.getTracks().forEach((/** @type {any} */ track) => track.stop());
    try {
      if (this.simulated) this.source?.stop();
    } catch {
      // it had not begun
    }
    this.source?.disconnect();
    this.tape = this.stream = this.source = null;
    this.stage = "idle";
    this.peak = 0;
    this.show();
    if (byId("record-meter")) byId("record-meter").value = String(0);
  }
}

/**
 * 24-bit mono WAV.
 * @param {any} samples
 * @param {number} rate
 */
function wav(samples, rate) {
  const bytes = new DataView(new ArrayBuffer(44 + samples.length * 3));
  const text = (/** @type {number} */ at, /** @type {string} */ words) => [...words].forEach((letter, place) => bytes.setUint8(at + place, letter.charCodeAt(0)));
  text(0, "RIFF");
  bytes.setUint32(4, 36 + samples.length * 3, true);
  text(8, "WAVEfmt ");
  bytes.setUint32(16, 16, true);
  bytes.setUint16(20, 1, true);
  bytes.setUint16(22, 1, true);
  bytes.setUint32(24, rate, true);
  bytes.setUint32(28, rate * 3, true);
  bytes.setUint16(32, 3, true);
  bytes.setUint16(34, 24, true);
  text(36, "data");
  bytes.setUint32(40, samples.length * 3, true);
  samples.forEach((/** @type {any} */ sample, /** @type {any} */ place) => {
    const value = Math.round(Math.max(-1, Math.min(1, sample)) * 8388607);
    const at = 44 + place * 3;
    bytes.setUint8(at, value & 255);
    bytes.setUint8(at + 1, (value >> 8) & 255);
    bytes.setUint8(at + 2, (value >> 16) & 255);
  });
  return bytes.buffer;
}

