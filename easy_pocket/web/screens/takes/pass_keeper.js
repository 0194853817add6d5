// Passes: hits that are struck while the loop goes round, each time round one edit; and all of the last two minutes.

const EARLY_S = 0.25; // so early a hit can still belong to the first slot of the next time round
const LATE_S = 0.25; // so long after its end a pass is waited for: devices are late
const SEAM_TICKS = 120; // half a 16th: so early a hit belongs to the next time round, here as on the server
const EVERY_MS = 50;
const LATEST_MS = 20; // a hit that came after its pass was sent stands so early in the next one
const REMEMBERED_S = 120;
const MOST_REMEMBERED = 6000;
const MOST_KEPT_AT_ONCE = 8;

/**
 * One hit: at: the audio's time it was struck at, device's latency taken off; round: which playing it was in.
 * @typedef {{ voice: string, velocity: number, at: number, ms: number, source: string, round: any, armed: boolean, sent: boolean, alternate: number, least: number }} PlayedHit
 * @typedef {[string, number, number] | [string, number, number, number]} Row voice, ms, velocity, and which of its sounds
 */

export class PassKeeper extends EventTarget {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    super();
    this.screen = screen;
    this.on = false;
    this.sentUpTo = 0; // passes that are sent, or were before it was on
    /** @type {PlayedHit[]} */
    this.remembered = [];
    /** @type {any} */
    this.round = null; // the playing that goes on: its anchor, length and bars
    /** @type {any} */
    this.kept = null; // the one whose passes are being kept: that of before, until its last pass is sent
    /** @type {any} */
    this.timer = null;
  }

  /** @param {boolean} on whether the screen is shown */
  watch(on) {
    clearInterval(this.timer);
    if (on) this.timer = setInterval(() => this.look(), EVERY_MS);
  }

  get player() {
    return this.screen.page.player;
  }

  // The playing, told apart from another one by where it began and what goes round.
  now() {
    const { player } = this;
    const { start_tick, length_ticks, section, song } = this.screen.span;
    if (!player.running || player.mode !== (section || song ? "song" : "stack")) return null;
    if ((section && !player.songSpan) || (song && player.songSpan)) return null;
    const length_s = section || song ? player.turnLength : (length_ticks * 60) / ((player.stack?.tempo_bpm ?? 120) * 960);
    const first = song ? player.song?.spans[0] : null; // at a song's seam the tempo of its first section counts
    const tempo_bpm = first ? (first.ticks * 60) / ((first.to_s - first.from_s) * 960) : (length_ticks * 60) / (length_s * 960);
    const known = this.round;
    if (known && Math.abs(known.anchor - player.anchor) < 1e-6 && known.length_ticks === length_ticks && known.start_tick === start_tick && known.section === section && known.song === song && (!song || known.length_s === length_s)) return known;
    this.round = { anchor: player.anchor, length_s, length_ticks, start_tick, tempo_bpm, section, song, part: this.screen.data?.part };
    return this.round;
  }

  /**
   * @param {string} voice
   * @param {number} velocity
   * @param {number} ms by the page's clock
   * @param {string} source
   * @param {number} [alternate]
   */
  take(voice, velocity, ms, source, alternate = 0) {
    const { clock, latency } = this.screen;
    const at = this.player.context ? clock.heardAt(ms) - latency.of(source) / 1000 : ms / 1000;
    const armed = this.on && this.screen.armed.has(voice);
    const hit = { voice, velocity, at, ms, source, round: this.now(), armed, sent: false, alternate, least: armed ? this.sentUpTo : -1 };
    this.remembered.push(hit);
    const oldest = performance.now() - REMEMBERED_S * 1000;
    while (this.remembered.length > MOST_REMEMBERED || (this.remembered[0]?.ms ?? Infinity) < oldest) this.remembered.shift();
    this.dispatchEvent(new Event("hit"));
    return hit;
  }

  /**
   * @param {{ from_s: number, to_s: number, whole?: boolean } | null} section where in the song it lies
   * @param {() => boolean} wanted whether it is still to begin when the sounds have come
   */
  async start(section, wanted) {
    const { player } = this;
    const running = player.running && player.mode === "stack" && !section;
    player.playsIn = true;
    if (section) await this.screen.page.plan.play(section.from_s, section.whole ? null : { from_s: section.from_s, to_s: section.to_s });
    else if (!running) await player.start("stack");
    player.playsIn = player.running && wanted();
    if (!player.playsIn) return;
    this.on = true;
    const round = this.now();
    this.kept = round;
    this.sentUpTo = running && round ? this.passAt(round, player.now) : 0;
    if (running) player.replan(); // the click comes in
    if (round) this.screen.mic.begin(round);
    this.dispatchEvent(new Event("change"));
  }

  // What was begun is kept; the playing stops.
  stop() {
    if (this.on) this.finish();
    this.player.stop();
  }

  // The playing was stopped, here or elsewhere.
  finish() {
    const round = this.kept;
    this.on = false;
    if (round) {
      const last = this.passAt(round, this.player.now);
      for (let number = this.sentUpTo; number <= last; number += 1) this.over(round, number, number === last);
    }
    this.player.playsIn = false;
    if (round?.section || round?.song) Object.assign(this.screen.page.plan, { on: false }).show();
    this.round = this.kept = null;
    this.dispatchEvent(new Event("change"));
  }

  /**
   * @param {any} round
   * @param {number} at
   */
  passAt(round, at) {
    return Math.max(0, Math.floor((at - round.anchor) / round.length_s));
  }

  /**
   * The pass in whose time it was struck, early hits of the first slot with it.
   * @param {any} round
   * @param {PlayedHit} hit
   */
  playedIn(round, hit) {
    const seam_s = Math.min(EARLY_S, (SEAM_TICKS * 60) / (round.tempo_bpm * 960));
    return Math.floor((hit.at + seam_s - round.anchor) / round.length_s);
  }

  /**
   * The pass a hit belongs to, none that was sent before it came; -1 for one that was struck before the first of them.
   * @param {any} round
   * @param {PlayedHit} hit
   */
  belongsTo(round, hit) {
    const number = this.playedIn(round, hit);
    return number < hit.least && number >= 0 ? hit.least : Math.max(-1, number);
  }

  // Passes that are over are sent; a hidden page looks once a second, and loses none.
  look() {
    if (!this.on) return;
    const before = this.kept;
    const round = this.now();
    if (!round) {
      this.finish();
      return;
    }
    this.kept = round;
    if (before && before !== round) {
      // Another tempo, or other bars: what was played so far is a pass of those before.
      const last = this.passAt(before, this.player.now);
      for (let number = this.sentUpTo; number <= last; number += 1) this.over(before, number, true);
      this.sentUpTo = this.passAt(round, this.player.now);
    }
    while (this.player.now > round.anchor + (this.sentUpTo + 1) * round.length_s + LATE_S + this.screen.clock.way_s) {
      this.over(round, this.sentUpTo, false);
      this.sentUpTo += 1;
    }
  }

  /**
   * A time round is over: what was struck in it is sent, and what a microphone heard.
   * @param {any} round
   * @param {number} number
   * @param {boolean} last
   */
  over(round, number, last) {
    this.send(round, number, last);
    this.screen.mic.send(round, number, last);
  }

  /**
   * The hits of one time round, a little of what is before and after with them: the server says what belongs to it.
   * @param {any} round
   * @param {number} number
   * @param {(hit: PlayedHit) => boolean} wanted
   */
  hitsOf(round, number, wanted) {
    const begin = round.anchor + number * round.length_s;
    const late = (/** @type {PlayedHit} */ hit) => this.playedIn(round, hit) < number && this.belongsTo(round, hit) === number;
    return this.remembered
      .filter((hit) => hit.round === round && wanted(hit) && ((hit.at >= begin - EARLY_S && hit.at < begin + round.length_s + EARLY_S) || late(hit)))
      .map((hit) => ({ hit, ms: late(hit) ? Math.max((hit.at - begin) * 1000, -LATEST_MS) : (hit.at - begin) * 1000 }));
  }

  /**
   * @param {any} round
   * @param {number} number
   * @param {boolean} last
   * @param {(hit: PlayedHit) => boolean} [wanted]
   */
  send(round, number, last, wanted = (hit) => hit.armed) {
    const found = this.hitsOf(round, number, wanted);
    // After the last pass nothing follows: what was struck early for the next one comes round in it.
    const inside = found.filter(({ hit }) => this.belongsTo(round, hit) === number || (last && this.belongsTo(round, hit) === number + 1));
    if (!inside.length) return null;
    for (const { hit } of inside) hit.sent = true;
    const hits = found.map(({ hit, ms }) => /** @type {Row} */ ([hit.voice, Math.round(ms * 1000) / 1000, hit.velocity, ...(hit.alternate ? [hit.alternate] : [])]));
    return this.screen.keepPass(round, hits, found[found.length - 1].hit.source, last);
  }

  // What was played while the loop went round and is in no pass yet: by rounds and passes, the newest last.
  get unkept() {
    /** @type {Map<any, Set<number>>} */
    const found = new Map();
    for (const hit of this.remembered) {
      if (!hit.round || hit.sent || this.belongsTo(hit.round, hit) < 0) continue;
      const passes = found.get(hit.round) ?? new Set();
      passes.add(this.belongsTo(hit.round, hit));
      found.set(hit.round, passes);
    }
    return [...found].flatMap(([round, passes]) => [...passes].sort((one, other) => one - other).map((number) => ({ round, number }))).slice(-MOST_KEPT_AT_ONCE);
  }

  // Hits that were struck while nothing played.
  get free() {
    return this.remembered.filter((hit) => !hit.round && !hit.sent);
  }

  keepUnkept() {
    const passes = this.unkept;
    for (const { round, number } of passes) this.send(round, number, false, (hit) => !hit.sent);
    return passes.length;
  }
}
