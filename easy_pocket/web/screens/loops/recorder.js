// Recording in the page: from the microphone, or from a simulated one for machines without. After a count-in the
// sound is taken down from just before the first beat on, latency taken off, and brought in like any file.

import { upload } from "./loop_upload.js";
import { byId } from "../../shared/dom.js";
import { openTape, wav, whyNot } from "../../shared/tape.js";

const MOST_S = 120;
const LEAD_S = 0.1; // before the first beat: who strikes it early keeps the attack; the last click is farther away
const CLICK_HZ = { first: 1600, other: 1100 };

export class Recorder {
  /** @type {any} */
  tape = null;
  /** @param {any} loops */
  constructor(loops) {
    this.loops = loops;
    this.stage = "idle"; // "idle", "counting", "recording"
    this.bar_s = 2;
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
      const { worklet, simulated } = byId("record-go").dataset;
      this.tape = await openTape(context, { kind: byId("record-source").value, worklet, simulated });
      this.tape.heard = (/** @type {number} */ peak) => (this.peak = Math.max(peak, (this.peak ?? 0) * 0.96));
    } catch (/** @type {any} */ error) {
      this.drop();
      this.say(whyNot(error), true);
      return;
    }
    this.count();
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
    this.bar_s = beats * beat_s;
    this.latency_s = this.tape.latency_s;
    this.tape.begin(this.from);
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
    const { latency_s, tape } = this;
    const line = tape.cut(this.from - LEAD_S + latency_s, tape.end_s);
    this.drop();
    if (line.length < rate * (0.3 + LEAD_S)) {
      this.say("That was too short: record at least a beat or two.", true);
      return;
    }
    const name = `take ${new Date().toTimeString().slice(0, 8).replaceAll(":", "-")}.wav`;
    this.say(latency_s > 0.001 ? `${Math.round(latency_s * 1000)} ms of latency taken off` : "");
    // Where the bars of the clicks begin counts when it is read, if what was played fits them.
    const marks = [];
    for (let at_s = LEAD_S; at_s * rate < line.length; at_s += this.bar_s) marks.push(Math.round(at_s * rate));
    upload(this.loops, new File([wav(line, rate, marks)], name, { type: "audio/wav" }));
  }

  drop() {
    clearInterval(this.timer);
    this.tape?.close();
    this.tape = null;
    this.stage = "idle";
    this.peak = 0;
    this.show();
    if (byId("record-meter")) byId("record-meter").value = String(0);
  }
}
