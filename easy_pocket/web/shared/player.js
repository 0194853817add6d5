// The player: one AudioContext and a look-ahead scheduler. It schedules the times, gains and pans Python gave; it
// computes no rule of its own. A pass of the stack begins every `length_s`; the anchor is when pass 0 began.

import { wayOut } from "./audio_clock.js";
import { Audition } from "./audition.js";
import { planWithout } from "./stage_graph.js";
import { glide } from "./stage_units.js";
import { TOUCH_S, goRound, jump } from "./player_place.js";
import { LayeredLoopPlayer } from "./layered_loop_player.js";
import { columnsOf, placeIn, soundsAlike } from "./schedule.js";
import { LEAD_S, blendOutputs, fetchSounds, loopBuffer, openGraph, planCurves, planStack, planTurns, replanWithSounds, soundOf, startLoop, takeBack } from "./sounding.js";

const LOOK_AHEAD_S = 2.5; // a busy page may keep the timer waiting; edits take back what has not sounded, so this costs nothing
const HIDDEN_LOOK_AHEAD_S = 4; // timers of a hidden page run once a second
const STEERED_LOOK_AHEAD_S = 0.9; // new times come many times a second: what lies further off would be planned in vain
const TICK_MS = 25;

export class Player extends EventTarget {
  /** @type {any} */
  loopNode;
  /** @type {any} */
  master;
  /** @type {any} */
  stackOut;
  /** @type {any} */
  loopOut;
  /** @type {any} */
  loopGain;
  /** @type {any} */
  stage;
  /** @type {any} */
  ceiling;
  /** @type {Promise<void> | undefined} */
  opening;
  constructor() {
    super();
    /** @type {any} */
    this.context = null;
    /** @type {import("./shapes").Playing | null} */
    this.stack = null; // what Python says the stack plays
    /** @type {import("./shapes").SongPlaying | null} */
    this.song = null; // what Python says the whole song plays, when it is to be played
    /** @type {any} */
    this.songSpan = null; // {from_s, to_s}: round which of the song's seconds it goes; null is all of them
    this.began = { when: 0, at_s: 0 }; // when the sound begins, and at which place
    /** @type {any} */
    this.before = null; // {anchor, until}: where the music was until a jump takes place
    /** @type {any} */
    this.loop = null; // {url, start_s, length_s, duration_s, wraps} of the audio loop beside it
    this.mode = "stack"; // "stack", "loop", "both", or "song"
    this.blend = "together"; // how both are heard: "together", "turns" or "sides"
    this.turned = 0; // turns of the loop whose loudness is planned
    this.timing = "felt";
    this.repeats = true;
    this.steered = false; // a slider is being dragged
    this.running = false;
    this.anchor = 0;
    this.horizon = 0;
    /** @type {Map<any, any>} */
    this.buffers = new Map();
    this.layered = new LayeredLoopPlayer(this);
    this.ear = new Audition(this);
    /** @type {import("./click.js").Click | null} */
    this.click = null;
    /** @type {Map<any, any>} */
    this.panners = new Map(); // by place, -1 to 1
    /** @type {Map<any, any>} */
    this.latest = new Map(); // the sound last heard of a voice and velocity, while a changed one comes in
    /** @type {import("./shapes").Playing | null} */
    this.beside = null; // what the stack plays on another kit or with an idea in it, while that is heard
    /** @type {any} */
    this.span = null; // {from_s, to_s}: round which of its seconds it goes; null is all of them
    /** @type {((plan: import("./shapes").StagePlan) => import("./shapes").StagePlan) | null} what is made of the plan while something is tried */
    this.trial = null;
    /** @type {{ where: string, pan: number | null, later_s: number } | null} */
    this.moved = null; // a sound that is tried somewhere else
    this.playsIn = false; // something is being played in
    this.without = ""; // a place whose chain is left out, or "all"
    this.clock = { at: 0, ms: 0 };
    /** @type {Set<any>} */
    this.pending = new Set();
    /** @type {any} */
    this.starting = null;
    this.timer = /** @type {any} */ (null);
    this.starts = /** @type {any[]} */ ([]); // context times of what was scheduled, newest last; read by tests and meters
  }

  get heard() {
    return this.mode === "song" ? this.song : this.beside ?? this.stack;
  }

  get usesLoop() {
    return this.mode === "loop" || this.mode === "both";
  }

  // The part of it round which it goes, or null.
  get round() {
    return { stack: this.span, song: this.songSpan }[this.mode] ?? null;
  }

  async ready() {
    if (!this.stage) {
      this.opening ??= openGraph(this);
      await this.opening;
      this.setBlend(this.blend);
      this.takeStage();
    }
    if (this.context.state !== "running") await this.context.resume();
  }

  /** @param {any} playing */
  setStack(playing) {
    const before = this.stack;
    this.stack = playing;
    this.takeStage();
    const unchanged = !this.steered && soundsAlike(before, playing);
    if (before && unchanged && !playing.straight) Object.assign(playing, { straight: before.straight, straight_more: before.straight_more });
    if (this.running && (this.mode === "stack" || this.mode === "both") && !unchanged) {
      if (before && before.length_s !== playing.length_s) {
        // Another tempo or length: the place in the music stays where it is.
        const now = this.context.currentTime;
        const beats = (now - this.anchor) / before.beat_s;
        const beatsInPass = (playing.length_s / playing.beat_s);
        this.anchor = now - (beats % beatsInPass) * playing.beat_s;
      }
      replanWithSounds(this);
    }
  }

  /**
   * The whole song, as it is now. The place in the music stays: the same bar, as far into it.
   * @param {any} song
   * @param {number | null} [at]
   */
  setSong(song, at = null) {
    const before = this.song;
    this.song = song;
    this.takeStage();
    if (!this.running || this.mode !== "song" || !before) return;
    const position = at ?? this.position;
    if (before.length_s !== song.length_s || this.turnLength !== before.length_s) {
      const place = placeIn(before, position);
      const bar = Math.min(place.bar, song.bars_s.length - 2);
      const now_s = song.bars_s[bar] + place.share * (song.bars_s[bar + 1] - song.bars_s[bar]);
      this.anchor = this.context.currentTime - Math.max(0, now_s - this.from);
    }
    replanWithSounds(this);
  }

  /**
   * Round some of the song, or all of it.
   * @param {any} span
   */
  setSongSpan(span) {
    goRound(this, "song", span);
  }

  /**
   * @param {number} to_s
   * @param {number} at_s
   */
  jump(to_s, at_s) {
    jump(this, to_s, at_s);
  }

  // Where the sounds stand, as what is heard says.
  takeStage() {
    const plan = this.heard?.stage;
    if (!this.stage || !plan) return;
    const shown = this.without ? planWithout(plan, this.without) : plan;
    this.stage.apply(this.trial ? this.trial(shown) : shown);
    if (this.running && this.mode !== "loop") planCurves(this, Math.max(this.anchor, this.now + TOUCH_S), this.horizon);
  }

  /**
   * What is made of the plan while something is tried; null: nothing any more.
   * @param {((plan: import("./shapes").StagePlan) => import("./shapes").StagePlan) | null} trial
   */
  setTrial(trial) {
    this.trial = trial;
    this.takeStage();
  }

  /**
   * Hits of a place at another pan or another time, while it is tried; null: as they are.
   * @param {{ where: string, pan: number | null, later_s: number } | null} moved
   */
  setMoved(moved) {
    if (this.moved === moved) return;
    this.moved = moved;
    if (this.running) this.replan();
  }

  /**
   * Without the chain of a place, or "all" of the Stage; made louder by so much meanwhile. "": all as it is.
   * @param {string} what
   * @param {number} louder_db
   */
  setWithout(what, louder_db) {
    this.without = what;
    this.takeStage();
    if (this.master) glide(this.context, this.master.gain, 10 ** (louder_db / 20));
  }

  /** @param {string} timing */
  setTiming(timing) {
    this.timing = timing;
    replanWithSounds(this);
  }

  /**
   * Loop and stack at once, by turns (a turn of the loop each, the loop first), or to either side.
   * @param {any} blend
   */
  setBlend(blend) {
    this.blend = blend;
    if (this.context) blendOutputs(this);
  }

  /**
   * Whether the stack is heard in the turn of the loop in which something sounds.
   * @param {number} at
   */
  silenced(at) {
    return this.mode === "both" && this.blend === "turns" && Math.floor((at - this.anchor) / this.loop.length_s + 1e-6) % 2 === 0;
  }

  /**
   * The same beat on another kit, or null for its own.
   * @param {import("./shapes").Playing | null} playing
   */
  async setBeside(playing) {
    this.wanted = playing;
    if (playing && this.context) await fetchSounds(this, playing);
    if (this.wanted !== playing) return;
    const at = this.position;
    const { turnLength } = this;
    this.beside = playing;
    this.takeStage();
    if (at !== null && turnLength !== this.turnLength) {
      // Longer or shorter: the place in the music stays where it is.
      this.anchor = this.context.currentTime - ((at - this.from) % this.turnLength);
    }
    this.replan();
  }

  /**
   * Round a part of the stack only.
   * @param {any} span
   */
  setSpan(span) {
    if (JSON.stringify(span) !== JSON.stringify(this.span)) goRound(this, "stack", span);
  }

  // Seconds of the stack at which a pass begins.
  get from() {
    return this.round?.from_s ?? 0;
  }

  // currentTime may lag while the page is busy; the page's own clock tells how far.
  get now() {
    const at = this.context.currentTime;
    const ms = performance.now();
    if (at > this.clock.at) this.clock = { at, ms };
    const since = this.running ? (ms - this.clock.ms) / 1000 : 0;
    return Math.max(at, Math.min(this.clock.at + since, at + 0.25));
  }

  get lookAhead() {
    if (this.steered) return STEERED_LOOK_AHEAD_S;
    return document.hidden ? HIDDEN_LOOK_AHEAD_S : LOOK_AHEAD_S;
  }

  get turnLength() {
    if (this.mode === "loop") return this.loop.length_s;
    const length_s = this.heard?.length_s ?? 0;
    if (!this.round) return length_s;
    return Math.min(this.round.to_s, length_s) - this.round.from_s;
  }

  /** @param {number} [pass] */
  sounds(pass = 0) {
    return this.heard && columnsOf(this.heard, this.timing, pass);
  }

  /**
   * One buffer by content key; asked for once.
   * @param {string} key
   */
  sound(key) {
    return soundOf(this, key);
  }

  async start(mode = this.mode, at_s = 0) {
    this.stop();
    /** @type {Record<string, any>} */
    const there = { loop: this.loop, both: this.loop, song: this.song };
    this.mode = there[mode] ? mode : "stack";
    this.takeStage();
    this.before = null;
    this.starting = Symbol("start");
    const mine = this.starting;
    await this.ready();
    if (this.mode !== "loop") await fetchSounds(this);
    await Promise.all((this.click?.keys ?? []).map((key) => this.sound(key)));
    if (this.usesLoop) await loopBuffer(this);
    if (this.starting !== mine) return; // stopped or started again while the sounds came in
    this.starting = null;
    this.running = true;
    const inside = at_s > this.from && at_s < this.from + this.turnLength ? at_s - this.from : 0;
    const counted_s = this.mode === "stack" || this.mode === "song" ? (this.click?.countInLength ?? 0) : 0;
    const begins = this.context.currentTime + LEAD_S + counted_s;
    this.anchor = begins - inside;
    this.horizon = inside ? begins : this.context.currentTime; // what lies before the place it begins at stays silent
    this.began = { when: begins, at_s: this.from + inside };
    this.layered.anchor = this.anchor;
    this.stage.follower.forget();
    this.setBlend(this.blend);
    if (this.usesLoop) startLoop(this);
    this.timer = setInterval(() => this.plan(), TICK_MS);
    if (counted_s) this.click?.planCountIn(begins);
    this.plan();
    this.dispatchEvent(new Event("change"));
  }

  stop() {
    this.running = false;
    this.starting = null;
    clearInterval(this.timer);
    takeBack(this, [...this.pending]);
    if (this.context) this.layered.end(0, false);
    this.loopNode?.stop();
    this.loopNode = null;
    this.dispatchEvent(new Event("change"));
  }

  async toggle() {
    if (this.running || this.starting) this.stop();
    else await this.start(this.mode);
  }

  toStart() {
    if (!this.running) return;
    const mode = this.mode;
    this.stop();
    this.start(mode);
  }

  // Schedule everything that begins before the look-ahead ends.
  plan() {
    if (!this.running) return;
    const { now } = this;
    const until = now + this.lookAhead;
    if (!this.repeats && now > this.anchor + this.turnLength) {
      this.stop();
      return;
    }
    const from = Math.max(this.horizon, now - 0.02);
    if (until <= from) return;
    if (this.mode !== "loop") planStack(this, from, until);
    planTurns(this, until);
    this.horizon = until;
  }

  /**
   * A single hit now, for the ear: what was just written or chosen.
   * @param {string} key
   * @param {number} gain
   * @param {number} pan
   */
  async audition(key, gain, pan) {
    await this.ear.play(key, gain, pan);
  }

  // Take back what has not sounded yet and plan it again: an edit is heard as soon as its time comes.
  replan() {
    if (!this.running) return;
    // The new is planned before the old is taken back, both from one moment: on a busy page either takes a while, and
    // a hit that fell between two readings of the clock would be lost.
    const from = Math.max(this.anchor, this.now + TOUCH_S);
    const old = [...this.pending].filter((voice) => voice.at >= from);
    this.layered.end(from, this.anchor === this.layered.anchor);
    this.layered.anchor = this.anchor;
    this.stage.follower.forget();
    const until = Math.max(from, this.now + this.lookAhead);
    if (this.mode !== "loop") planStack(this, from, until);
    this.horizon = until;
    takeBack(this, old);
  }

  // Seconds into the pass as the ear hears it now, or null.
  get position() {
    if (!this.running) return null;
    const now = this.context.currentTime - wayOut(this.context);
    if (now < this.began.when) return this.began.at_s;
    if (this.before && now < this.before.until) return Math.max(this.before.from, this.before.from + now - this.before.anchor);
    const heard = now - this.anchor;
    return heard < 0 ? this.from : this.from + (heard % this.turnLength);
  }
}
