// The whole song, heard: what the server says it plays is fetched when it is wanted and again after edits; sections,
// bars and spans of it are played, and left for another one at the next bar or at their end.

import { byId } from "./dom.js";
import { ask as askServer } from "./api.js";
import { jumpsSoon } from "./player_place.js";
import { placeIn } from "./schedule.js";
import { showNote } from "./notes.js";
import { StartedOrder } from "./started_order.js";

const AFTER_EDIT_MS = 120; // more edits may come at once

export class SongPlan {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    this.page = page;
    this.heard_s = 0;
    this.on = false; // Play plays the song, not the selected pattern
    this.started = new StartedOrder(this);
    this.player.addEventListener("change", () => this.show());
  }

  get player() {
    return this.page.player;
  }

  get playsSong() {
    return this.player.running && this.player.mode === "song";
  }

  show() {
    const chip = byId("play-song");
    const span = this.on && this.song ? this.player.songSpan : null;
    const bars = span ? [placeIn(this.song, span.from_s).bar + 1, placeIn(this.song, span.to_s - 1e-3).bar + 1] : null;
    byId("loop-toggle").textContent = bars ? `loop ${bars[0]}–${bars[1]}` : "loop";
    this.page.current?.showLoop(bars);
    chip?.classList.toggle("on", this.on);
    chip?.setAttribute("aria-pressed", this.on);
  }

  // The song as it is now.
  async fetch() {
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const timing = this.page.view.straight ? "straight" : "felt";
    const answer = await askServer(`/songs/${this.page.song.id}/song/playing?timing=${timing}`).catch(() => null);
    if (turn !== this.turn) return this.song;
    if (!answer?.ok) {
      const told = await answer?.json().catch(() => null);
      showNote(told?.error ?? "Easy Pocket does not answer just now; the song plays on as it was.", { near: byId("play"), wrong: true });
      return null;
    }
    this.song = await answer.json();
    this.at = performance.now();
    this.player.setSong(this.song);
    return this.song;
  }

  // What the selected pattern plays, which the Song screen is not told with every edit.
  async fetchPattern() {
    const answer = await askServer(`/songs/${this.page.song.id}/state?screen=bench`).catch(() => null);
    if (!answer?.ok) return;
    this.page.untold = false;
    this.page.setPlaying((await answer.json()).playing);
  }

  // What was fetched is of before.
  follow() {
    clearTimeout(this.timer);
    if (!this.song) return;
    this.stale = true;
    if (this.playsSong) this.timer = setTimeout(() => this.fresh(), AFTER_EDIT_MS);
  }

  async fresh() {
    this.stale = false;
    return this.fetch();
  }

  async ready() {
    if (!this.song || this.stale) await this.fresh();
    return this.song;
  }

  async toggle() {
    this.on = !this.on;
    this.show();
    const { running } = this.player;
    if (!this.on && this.page.untold) await this.fetchPattern();
    if (!running) return;
    if (this.on) await this.play();
    else await this.player.start("stack");
  }

  // From a time on, round a stretch of it or through to its end.
  /**
   * @param {number} [from_s]
   * @param {any} [span]
   */
  async play(from_s = 0, span = null) {
    this.on = true;
    this.show();
    if (!(await this.ready())) return;
    this.player.songSpan = span;
    await this.player.start("song", from_s);
    this.started.begin(from_s, span);
  }

  /** @param {number} bar */
  async playBar(bar) {
    if (!(await this.ready())) return;
    const at = this.song.bars_s[Math.max(0, Math.min(bar - 1, this.song.bars_s.length - 2))];
    this.player.songSpan = null;
    await this.play(at);
  }

  /**
   * One section with its repeats, round and round.
   * @param {any} id
   */
  async playSection(id) {
    if (!(await this.ready())) return;
    const span = this.spanOf(id);
    if (span) await this.play(span.from_s, span);
  }

  /**
   * @param {any} first
   * @param {any} last
   */
  async loopBars(first, last) {
    if (!(await this.ready())) return;
    const { bars_s } = this.song;
    const span = { from_s: bars_s[first - 1], to_s: bars_s[Math.min(last, bars_s.length - 1)] };
    if (this.playsSong) this.player.setSongSpan(span);
    else await this.play(span.from_s, span);
    this.show();
  }

  /**
   * How far into a time a section plays a place of the song is, 0 to 1; -1 outside of it.
   * @param {number} section
   * @param {number} at_s
   */
  shareOf(section, at_s) {
    const span = this.song?.spans.find((/** @type {any} */ one) => one.section === section && at_s >= one.from_s && at_s < one.to_s);
    return span ? (at_s - span.from_s) / (span.to_s - span.from_s) : -1;
  }

  /** @param {any} id */
  spanOf(id) {
    const mine = this.song.spans.filter((/** @type {any} */ span) => span.section === id);
    return mine.length ? { from_s: mine[0].from_s, to_s: mine[mine.length - 1].to_s } : null;
  }

  /**
   * To another section while the song plays: at the next bar, or when the section that sounds has ended.
   * @param {any} id
   * @param {any} when
   */
  async jump(id, when) {
    if (!this.playsSong) {
      const span = (await this.ready()) && this.spanOf(id);
      if (span) await this.play(span.from_s);
      return;
    }
    const target = this.spanOf(id);
    const position = this.player.position;
    const { bar } = placeIn(this.song, position);
    const now = this.song.spans.find((/** @type {any} */ span) => position < span.to_s) ?? this.song.spans[0];
    const end = this.song.spans.filter((/** @type {any} */ span) => span.section === now.section && span.from_s >= now.from_s).at(-1);
    if (!target) return;
    const until_s = when === "bar" ? this.song.bars_s[bar + 1] : end.to_s;
    this.started.jump(until_s, target.from_s, jumpsSoon(this.player));
    this.player.jump(target.from_s, until_s);
    this.show();
  }

  /**
   * Where the song is: its bar and beat, and the section that sounds.
   * @param {number} position
   */
  place(position) {
    this.heard_s = position;
    const { bar, share } = placeIn(this.song, position);
    const beats = this.song.bar_beats[bar] ?? 4;
    const span = this.song.spans.find((/** @type {any} */ one) => position < one.to_s) ?? this.song.spans.at(-1);
    return { bar, beat: share * beats, span, within: (position - span.from_s) / (span.to_s - span.from_s) };
  }
}
