// Quay pads: a simulated pad controller. It looks like any other to what listens to MIDI, and plays a performance that an
// invented hand gave, in time with the loop; each message carries the moment it was struck.

import { askJson } from "./ask_json.js";

const EVERY_MS = 8;
const PASSES = 8;
const MOST_REMEMBERED = 2000;

export class QuayPads {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    /** @type {any} */
    this.input = { id: "quay", name: "Quay pads", manufacturer: "Tidewater", state: "connected", onmidimessage: null };
    this.simulated = true;
    this.inputs = new Map([["quay", this.input]]);
    /** @type {(() => void) | null} */
    this.onstatechange = null;
    this.on = false;
    /** @type {import("../../shared/shapes").QuayData | null} */
    this.performance = null;
    this.next = 0;
    /** @type {any} */
    this.round = null;
    /** @type {{ voice: number, at: number }[]} */
    this.played = []; // what was struck, when by the audio's clock; read by tests
  }

  async toggle() {
    this.on = !this.on;
    clearInterval(this.timer);
    if (!this.on) return;
    await this.learn();
    this.timer = setInterval(() => this.play(), EVERY_MS);
  }

  // What it plays: the beat that is looked at.
  async learn() {
    const { page, span, data } = this.screen;
    const bars = Math.min(16, Math.max(1, Math.round(span.length_ticks / (data?.bar_ticks ?? 3840))));
    const at = page.song.at.join("-");
    const answer = await askJson(`/songs/${page.song.id}/takes/quay?bars=${bars}&passes=${PASSES}&seed=${Math.floor(performance.now()) % 1000}&at=${at}`);
    this.performance = answer.error ? null : answer;
    this.next = 0;
    this.round = null;
  }

  // Out of the way, as a cable that is pulled.
  unplug() {
    this.input.state = "disconnected";
    this.inputs.clear();
    this.on = false;
    clearInterval(this.timer);
    this.onstatechange?.();
  }

  play() {
    const { keeper, clock } = this.screen;
    const round = keeper.now();
    if (!round || !this.performance) {
      this.round = null;
      return;
    }
    if (round !== this.round) {
      this.round = round;
      this.next = 0;
    }
    const { time_s, note, velocity, length_s } = this.performance;
    const whole = length_s * PASSES;
    const now = performance.now();
    for (;;) {
      const turn = Math.floor(this.next / time_s.length);
      const hit = this.next % time_s.length;
      const at = round.anchor + turn * whole + time_s[hit];
      const ms = clock.pageTime(at);
      if (!time_s.length || ms > now) return;
      this.next += 1;
      if (ms < now - 400) continue; // it came in late: what is over is not played
      this.played.push({ voice: note[hit], at });
      if (this.played.length > MOST_REMEMBERED) this.played.shift();
      this.input.onmidimessage?.({ data: new Uint8Array([0x99, note[hit], velocity[hit]]), timeStamp: ms });
    }
  }
}
