// A voice that sounds at once when it is struck: with its velocity, its place on the Stage, and what it cuts off.

import { strike } from "../../shared/sounding.js";

const FADE_S = 0.006;

export class Striker {
  /** @param {import("../../shared/player.js").Player} player */
  constructor(player) {
    this.player = player;
    /** @type {Map<string, import("../../shared/shapes").Pad>} */
    this.pads = new Map();
    /** @type {Map<string, any[]>} */
    this.ringing = new Map(); // by what cuts them off
    /** @type {{ voice: string, velocity: number, key: string, at: number, late_ms: number }[]} */
    this.struck = []; // the last ones, for meters and tests
    /** @type {Map<string, number>} */
    this.turns = new Map(); // by voice, how often its own sound was struck
  }

  /** @param {import("../../shared/shapes").Pad[]} pads */
  setPads(pads) {
    this.pads = new Map(pads.map((pad) => [pad.voice, pad]));
    if (this.player.context) this.fetch();
  }

  // Every sound of every voice, so that none is waited for.
  fetch() {
    return Promise.all([...this.pads.values()].flatMap((pad) => [pad, ...pad.others].flatMap((one) => one.audio).map((key) => this.player.sound(key))));
  }

  /**
   * @param {string} voice
   * @param {number} velocity
   * @param {number} ms when it was struck, by the page's clock
   * @param {number} [alternate] 0: its own sound
   */
  strike(voice, velocity, ms, alternate = 0) {
    const { player } = this;
    const pad = this.pads.get(voice);
    if (!pad || !player.stage) return;
    const from = pad.others[alternate - 1] ?? this.inTurn(pad, velocity);
    const key = from.audio[from.sound[velocity]];
    if (!(player.buffers.get(key) instanceof AudioBuffer)) {
      player.sound(key);
      return;
    }
    const at = player.context.currentTime;
    this.cut(pad.choke, at);
    const events = { audio: [key], sound: [0], places: [pad.place], place: [0], gain: [pad.gain[velocity]], pan: [pad.pan], cut_s: [null] };
    const node = strike(player, events, 0, at, 0);
    if (!node) return;
    player.pending.delete(node); // stopping the loop does not cut what a hand struck
    if (pad.choke) this.ringing.set(pad.choke, [...(this.ringing.get(pad.choke) ?? []).slice(-7), node]);
    this.struck.push({ voice, velocity, key, at, late_ms: performance.now() - ms });
    if (this.struck.length > 2048) this.struck = this.struck.slice(-1024);
  }

  /**
   * The strokes of its own sound one after another, so that no two in a row are the same. One that is not here yet is
   * asked for, and the first one sounds in its place: a hand does not wait.
   * @param {import("../../shared/shapes").Pad} pad
   * @param {number} velocity
   */
  inTurn(pad, velocity) {
    const turn = (this.turns.get(pad.voice) ?? -1) + 1;
    this.turns.set(pad.voice, turn);
    const stroke = pad.strokes[(turn % (pad.strokes.length + 1)) - 1];
    if (!stroke) return pad;
    const key = stroke.audio[stroke.sound[velocity]];
    if (this.player.buffers.get(key) instanceof AudioBuffer) return stroke;
    this.player.sound(key);
    return pad;
  }

  /**
   * @param {string} choke
   * @param {number} [at]
   */
  cut(choke, at = this.player.context?.currentTime ?? 0) {
    for (const { gain, node } of this.ringing.get(choke) ?? []) {
      gain.gain.setValueAtTime(gain.gain.value, at);
      gain.gain.linearRampToValueAtTime(0, at + FADE_S);
      node.stop(at + FADE_S + 0.01);
    }
    this.ringing.delete(choke);
  }

  /** @param {string} voice */
  choke(voice) {
    const pad = this.pads.get(voice);
    if (pad) this.cut(pad.choke);
  }
}
