// A single hit for the ear, beside whatever plays. The one before it makes room.

import { strike } from "./sounding.js";

export class Audition {
  /** @param {import("./player.js").Player} player */
  constructor(player) {
    this.player = player;
    this.turn = 0; // only the latest that was asked for is heard
    /** @type {any} */
    this.sounding = null;
  }

  /**
   * @param {string} key
   * @param {number} gain
   * @param {number} pan
   */
  async play(key, gain, pan) {
    const { player } = this;
    const turn = (this.turn += 1);
    if (player.context) player.sound(key); // on its way while the rest is made ready
    await player.ready();
    const buffer = await player.sound(key);
    if (!buffer || !player.stack || turn !== this.turn) return;
    const at = player.context.currentTime + 0.005;
    if (this.sounding && player.pending.has(this.sounding)) {
      this.sounding.gain.gain.setTargetAtTime(0, at, 0.004);
      this.sounding.node.stop(at + 0.03);
    }
    const events = { audio: [key], sound: [0], gain: [gain], pan: [pan], cut_s: [null] };
    this.sounding = strike(player, events, 0, at, 0);
    player.dispatchEvent(new CustomEvent("audition", { detail: { key, at } }));
  }
}
