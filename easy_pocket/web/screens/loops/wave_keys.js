// The waveform without a pointer: a cursor that walks, hits nudged, added and taken out, the first beat set, spans marked.

import { byId } from "../../shared/dom.js";
import { showLedger, speak } from "../../shared/notes.js";

const WALK = 0.01; // of what is in view, for a step of the cursor
const NUDGE_S = 0.001;

export class WaveKeys {
  /** @param {any} loops */
  constructor(loops) {
    this.loops = loops;
    /** @type {number | null} */
    this.at_s = null; // the cursor; null: at the chosen hit
    /** @type {number | null} */
    this.from_s = null; // where a span was begun
    /** @type {number | null} */
    this.again_s = null; // the hit to be chosen once the loop is drawn anew
  }

  get hit() {
    return this.loops.chosenHit || null;
  }

  // Where something is done: at the cursor, else at the chosen hit, else in the middle of what is seen.
  get time() {
    const { from, to } = this.loops.wave.view;
    return this.at_s ?? (this.hit ? Number(this.hit.dataset.time) : (from + to) / 2);
  }

  // The loop was drawn anew: the hit that was worked on is chosen again.
  mount() {
    this.show();
    if (this.again_s === null) return;
    const onsets = /** @type {Piece[]} */ ([...document.querySelectorAll(".onset:not(.gone)")]);
    const away = (/** @type {Piece} */ one) => Math.abs(Number(one.dataset.time) - /** @type {number} */ (this.again_s));
    const nearest = onsets.sort((one, other) => away(one) - away(other))[0];
    this.again_s = null;
    if (nearest) this.loops.choose(nearest);
  }

  // A hit was chosen: the cursor is there.
  chosen() {
    this.at_s = null;
    this.show();
  }

  show() {
    const line = byId("wave-cursor");
    if (!line) return;
    const share = this.at_s === null ? -1 : this.loops.wave.percent(this.at_s);
    line.hidden = share < 0 || share > 100;
    line.style.left = `${share}%`;
  }

  /** @param {number} by steps */
  walk(by) {
    const { wave } = this.loops;
    const { from, to } = wave.view;
    this.at_s = Math.max(0, Math.min(wave.duration, this.time + by * WALK * (to - from)));
    wave.follow(this.at_s);
    this.show();
    this.tell(`cursor at ${this.at_s.toFixed(3)} s`);
  }

  /** @param {string} words */
  tell(words) {
    showLedger(words);
    speak(words);
  }

  /**
   * @param {any} change
   * @param {number} then the time of the hit to be chosen after it
   */
  correct(change, then) {
    this.again_s = then;
    return this.loops.correct(change, { near: byId("wave") });
  }

  /** @param {number} by_s */
  nudge(by_s) {
    const { hit } = this;
    if (!hit) return this.tell("No hit is chosen: left and right choose one.");
    const time_s = this.again_s ?? Number(hit.dataset.time); // one that is on its way is nudged on
    const to_s = Math.max(0, time_s + by_s);
    return this.correct({ kind: "move", time_s, to_s, exact: true }, to_s);
  }

  snap() {
    const { hit } = this;
    if (!hit) return this.tell("No hit is chosen: left and right choose one.");
    const time_s = Number(hit.dataset.time);
    return this.correct({ kind: "move", time_s, to_s: time_s }, time_s);
  }

  endSpan() {
    if (this.from_s === null) return this.tell("Press [ where the span begins first.");
    const [time_s, to_s] = [this.from_s, this.time].sort((one, other) => one - other);
    this.from_s = null;
    return this.correct({ kind: "ignore", time_s, to_s }, to_s);
  }

  beginSpan() {
    this.from_s = this.time;
    this.tell(`a span begins at ${this.from_s.toFixed(3)} s: walk on with Shift and the arrows, then ]`);
  }

  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get rows() {
    return [
      { keys: "Shift+ArrowLeft", shows: "Shift ← →", words: "walk the cursor", run: () => this.walk(-1) },
      { keys: "Shift+ArrowRight", run: () => this.walk(1) },
      { keys: ",", shows: ", .", words: "nudge the hit 1 ms early, late (Shift: 5 ms)", run: () => this.nudge(-NUDGE_S) },
      { keys: ".", run: () => this.nudge(NUDGE_S) },
      { keys: "< ;", run: () => this.nudge(-5 * NUDGE_S) },
      { keys: "> :", run: () => this.nudge(5 * NUDGE_S) },
      { keys: "a", words: "the hit to the attack near it", run: () => this.snap() },
      { keys: "Enter", words: "add a hit at the cursor", run: () => this.correct({ kind: "add", time_s: this.time }, this.time) },
      { keys: "f", words: "the first beat is here", run: () => this.correct({ kind: "one", time_s: this.time }, this.time) },
      { keys: "[", shows: "[ ]", words: "ignore a span: from the cursor, to it", run: () => this.beginSpan() },
      { keys: "]", run: () => this.endSpan() },
    ];
  }
}
