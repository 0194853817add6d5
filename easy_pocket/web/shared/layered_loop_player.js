// Loops under the stack and under the song: a piece of audio for each pass, or for each turn of a section.

const AHEAD_S = 20; // they are fetched so long before they come in
const FADE_S = 0.008; // where one comes in or goes in the middle of a pass

export class LayeredLoopPlayer {
  /** @param {import("./player.js").Player} player */
  constructor(player) {
    this.player = player;
    /** @type {Map<string, any>} */
    this.sounding = new Map(); // by pass, place and key
    this.ahead_s = AHEAD_S;
    this.anchor = 0; // the player's, when they were planned
  }

  /**
   * Loops under the stack: each pass a piece of audio of its own. One that has begun goes on; what is new in a pass that
   * runs already comes in at its place.
   * @param {number} pass
   * @param {number} begin
   * @param {number} from
   * @param {number} end
   */
  plan(pass, begin, from, end) {
    if (end <= from) return;
    const { player } = this;
    const heard = /** @type {any} */ (player.heard);
    const masterGain = player.stack?.master_gain ?? 1;
    const whole = (heard.layered_loops ?? []).map((/** @type {string} */ key, /** @type {number} */ at) => ({ key, place: heard.layered_loop_places[at], at_s: 0, length_s: Infinity }));
    for (const { key, place, at_s, length_s, gain: more = 1 } of [...whole, ...(heard.layered_loops_at ?? [])]) {
      const name = `${pass} ${at_s} ${more} ${key}`;
      const starts = begin + at_s - player.from;
      const ends = Math.min(end, starts + length_s);
      if (this.sounding.has(name) || ends <= from || starts > from + this.ahead_s) continue;
      const buffer = player.buffers.get(`layers/${key}`);
      if (!(buffer instanceof AudioBuffer)) {
        player.sound(`layers/${key}`);
        continue;
      }
      if (starts > from + player.lookAhead) continue;
      const at = Math.max(starts, begin, from);
      if (player.silenced(at + 1e-3)) continue;
      const node = player.context.createBufferSource();
      const gain = player.context.createGain();
      node.buffer = buffer;
      const level = masterGain * more;
      gain.gain.value = level;
      if (at > starts) {
        gain.gain.setValueAtTime(0, at);
        gain.gain.linearRampToValueAtTime(level, at + FADE_S);
      }
      node.connect(gain).connect(player.stage.input(place ?? "whole"));
      node.start(Math.round(at * player.context.sampleRate) / player.context.sampleRate, at - starts);
      if (player.round || ends < starts + buffer.duration - 1e-3) {
        gain.gain.setValueAtTime(level, Math.max(at, ends - FADE_S));
        gain.gain.linearRampToValueAtTime(0, ends);
        node.stop(ends);
      }
      const voice = { node, gain, at, end: ends, key, name };
      this.sounding.set(name, voice);
      node.onended = () => this.sounding.get(name) === voice && this.sounding.delete(name);
    }
  }

  /**
   * What is no longer to be heard from a moment on: another tempo or place lets everything begin anew.
   * @param {number} from
   * @param {boolean} keep those that are still to be heard go on
   */
  end(from, keep) {
    const heard = /** @type {any} */ (this.player.heard);
    for (const [name, { node, gain, at, key }] of this.sounding) {
      if (keep && (heard?.layered_loops?.includes(key) || heard?.layered_loops_at?.some((/** @type {any} */ piece) => piece.key === key))) continue;
      this.sounding.delete(name);
      if (at < from) {
        gain.gain.setValueAtTime(gain.gain.value, from);
        gain.gain.linearRampToValueAtTime(0, from + FADE_S);
        node.stop(from + FADE_S);
      } else node.stop();
    }
  }

  // Whole passes are large: only those that are played or were just told are kept.
  forget() {
    const wanted = new Set([this.player.stack, this.player.beside].flatMap((playing) => playing?.layered_loops ?? []));
    for (const { key } of this.player.song?.layered_loops_at ?? []) wanted.add(key);
    for (const { key } of this.sounding.values()) wanted.add(key);
    for (const name of this.player.buffers.keys()) if (name.startsWith("layers/") && !wanted.has(name.slice("layers/".length))) this.player.buffers.delete(name);
  }
}
