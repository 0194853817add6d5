// The page's clock and the audio clock: which moment of the music is heard when something happens. currentTime stands
// still while the page is busy and is never ahead, so of many pairs the one that lags least is right. Where the sound
// itself stood still - the machine did not keep up - it is behind from then on: pairs of before are of no use any more.

import { CEILING } from "./stage_constants.js";

const EVERY_MS = 40;
const KEPT = 250; // pairs: the last ten seconds
const NEWEST = 12; // of which one at least was taken while the page was not busy
const STEP_S = 0.008; // behind by more than this in all of the newest: the sound stood still
const OLDEST_MS = 60_000; // an event that claims to be older than this, or of the future, has no time of its own

/**
 * How long after it was to sound something is heard, in s: through the page, the browser and the device.
 * @param {AudioContext | null | undefined} context
 */
export const wayOut = (context) => (context?.outputLatency || 0) + (context?.baseLatency || 0) + CEILING.latency / 44100;

export class AudioClock {
  /** @param {import("./player.js").Player} player */
  constructor(player) {
    this.player = player;
    /** @type {number[]} */
    this.gaps = []; // seconds the page's clock is ahead
    /** @type {any} */
    this.timer = null;
  }

  // It looks at both clocks only while a screen wants it.
  start() {
    clearInterval(this.timer);
    this.timer = setInterval(() => this.sample(), EVERY_MS);
    this.sample();
  }

  stop() {
    clearInterval(this.timer);
    this.gaps = [];
  }

  sample() {
    const { context } = this.player;
    if (context?.state !== "running") {
      this.gaps = []; // it stood still meanwhile
      return;
    }
    this.gaps.push(performance.now() / 1000 - context.currentTime);
    if (this.gaps.length > KEPT) this.gaps.shift();
    const newest = this.gaps.slice(-NEWEST);
    if (this.gaps.length > NEWEST && Math.min(...newest) > Math.min(...this.gaps) + STEP_S) this.gaps = newest;
  }

  get gap() {
    if (!this.gaps.length) this.sample();
    return this.gaps.length ? Math.min(...this.gaps) : performance.now() / 1000 - (this.player.context?.currentTime ?? 0);
  }

  get way_s() {
    return wayOut(this.player.context);
  }

  /**
   * The audio's time that is heard at a time of the page's clock.
   * @param {number} ms
   */
  heardAt(ms) {
    const now = performance.now();
    const at = ms > now + 5 || ms < now - OLDEST_MS || !Number.isFinite(ms) ? now : ms;
    return at / 1000 - this.gap - this.way_s;
  }

  /**
   * The time of the page's clock at which a time of the audio is heard.
   * @param {number} at_s
   */
  pageTime(at_s) {
    return (at_s + this.gap + this.way_s) * 1000;
  }
}
