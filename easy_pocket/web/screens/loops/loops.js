// The Loops screen: bring audio in, correct what was heard, take the groove.

import { strike } from "../../shared/sounding.js";
import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { FillSpan } from "./fill_span.js";
import { KeepBars } from "./keep_bars.js";
import { LoopUses } from "./loop_uses.js";
import { showLedger, showNote, speak } from "../../shared/notes.js";
import { Recorder } from "./recorder.js";
import { loopBuffer } from "../../shared/sounding.js";
import { redrawsLoop } from "./loop_changes.js";
import { Screen } from "../../shared/screen.js";
import { Wave } from "./wave.js";
import { WaveKeys } from "./wave_keys.js";
import { dropping, pasted, upload } from "./loop_upload.js";
import { addTips } from "../../shared/tip.js";
import { TIPS } from "./tips.js";

addTips(TIPS);

export default class Loops extends Screen {
  /** @type {any} */
  uses;
  /** @param {import("../../shared/page.js").Page} page */
  constructor(page) {
    super(page);
    this.edits = page.edits;
    this.player = page.player;
    this.tool = "move";
    /** @type {any} */
    this.drag = null;
    this.wave = new Wave(this);
    this.uses = new LoopUses(this);
    this.waveKeys = new WaveKeys(this);
    this.recorder = new Recorder(this);
    this.keepBars = new KeepBars(this);
    this.fillSpan = new FillSpan(this);
    document.addEventListener("change", (event) => this.changed(event));
    document.addEventListener("input", (event) => this.input(event));
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("pointerdown", (event) => this.down(event));
    document.addEventListener("pointermove", (event) => this.move(event));
    document.addEventListener("pointerup", (event) => this.up(event));
    document.addEventListener("pointercancel", () => this.letGo());
    document.addEventListener("pointerover", (event) => this.over(event));
    document.addEventListener("paste", (event) => pasted(this, event));
    for (const name of ["dragover", "dragleave", "drop"]) document.addEventListener(name, (event) => dropping(this, event));
  }

  get section() {
    return document.querySelector("[data-loops]");
  }

  get address() {
    return `/songs/${this.section.dataset.song}/loops/${this.section.dataset.loop}`;
  }

  get work() {
    return byId("wave");
  }

  mount() {
    const section = this.section;
    if (!section?.dataset.player) return;
    // So that it stays this one when another tab brings in a newer one.
    if (location.pathname !== this.address) history.replaceState({}, "", `${this.address}${location.search}`);
    section.querySelector(".loop-chips .on")?.scrollIntoView({ block: "nearest", inline: "nearest" });
    const facts = JSON.parse(section.dataset.player);
    const url = `${this.address}/audio.wav`;
    const same = this.player.loop?.url === url;
    this.player.loop = { ...facts, url, buffer: same ? this.player.loop.buffer : null };
    this.setTool(this.tool);
    this.showMode();
    this.wave.mount();
    this.waveKeys.mount();
    this.uses.mount();
  }

  /**
   * Parts of the loop as they are in the file, one after another: [from, length] in seconds. Gives when it begins.
   * @param {any} spans
   */
  async playSpans(spans) {
    await this.player.ready();
    const buffer = await loopBuffer(this.player);
    this.heardSpans?.forEach((/** @type {any} */ node) => node.stop());
    const begin = this.player.context.currentTime + 0.03;
    let at = begin;
    this.heardSpans = spans.map((/** @type {any} */ [from, length]) => {
      const node = this.player.context.createBufferSource();
      const gain = this.player.context.createGain();
      node.buffer = buffer;
      node.connect(gain).connect(this.player.master);
      gain.gain.setValueAtTime(1, at + length - 0.01);
      gain.gain.linearRampToValueAtTime(0, at + length);
      node.start(at, from, length);
      at += length + 0.03;
      return node;
    });
    return begin;
  }

  /**
   * A hit of the stack beside the one of the loop it is nearest to, as they lie.
   * @param {any} options
   */
  async playPair({ voice, heard_s, heard_gap_s }) {
    const before = 0.35;
    const from = Math.max(0, heard_s - before);
    const one = this.page.playing.strikes[voice];
    await this.player.ready();
    if (one) await this.player.sound(one.audio);
    const begin = await this.playSpan(from, before + 0.35);
    const events = one && { audio: [one.audio], sound: [0], gain: [one.gain], pan: [one.pan], cut_s: [null] };
    if (events) strike(this.player, events, 0, begin + (heard_s - from) - heard_gap_s, begin);
  }

  /**
   * @param {number} from
   * @param {number} length
   */
  playSpan(from, length) {
    return this.playSpans([[from, length]]);
  }

  /** @param {any} tool */
  setTool(tool) {
    this.tool = tool;
    byId("wave")?.setAttribute("data-tool", tool);
    document.querySelectorAll("[data-tool]").forEach((button) => {
      if (button.tagName !== "BUTTON") return;
      button.classList.toggle("on", button.dataset.tool === tool);
      button.setAttribute("aria-pressed", button.dataset.tool === tool);
    });
  }

  playingChanged() {
    this.showMode();
  }

  /** @param {any} options */
  apply({ item, more }) {
    if (item.edit?.kind === "loop_beat") byId("beat-state").textContent = "They are on the Bench now.";
    if (!more && redrawsLoop(item)) this.redraw();
  }

  // What the hand holds on the waveform is let go of first.
  redraw() {
    this.isOld = Boolean(this.drag);
    if (!this.isOld) this.page.redraw();
  }

  /** @param {any} options */
  follow({ more }) {
    if (!more && !this.isOld && !this.page.drawing) this.uses.follow();
  }

  /** @param {number} position */
  needle(position) {
    const needle = byId("needle");
    if (!needle) return;
    if (position === null || !this.player.usesLoop) {
      if (!needle.hidden) needle.hidden = true;
      return;
    }
    const { loop } = this.player;
    let at = loop.start_s + (position % loop.length_s);
    if (loop.wraps) at %= loop.duration_s;
    this.wave.turn(at);
    const share = this.wave.percent(at);
    needle.hidden = share < 0 || share > 100;
    needle.style.left = `${share}%`;
  }

  showMode() {
    const blend = byId("blend");
    if (blend) blend.value = this.player.blend;
    document.querySelectorAll("[data-play-mode]").forEach((button) => {
      const on = this.player.running && this.player.mode === button.dataset.playMode;
      button.classList.toggle("on", on);
      button.setAttribute("aria-pressed", on);
    });
  }

  /** @param {string} mode */
  async playMode(mode) {
    if (this.player.running && this.player.mode === mode) {
      this.player.stop();
      return;
    }
    if (mode === "both") {
      // Beside a loop the stack goes at the loop's tempo.
      const answer = await ask(`/songs/${this.section.dataset.song}/playing?tempo_bpm=${this.player.loop.tempo_bpm}`);
      if (!answer.ok) {
        const { error } = await answer.json();
        showNote(error, { wrong: true, near: document.querySelector('[data-play-mode="both"]') });
        return;
      }
      this.player.stop();
      this.player.stack = await answer.json();
    } else if (this.player.mode === "both") {
      this.player.stop();
      this.player.stack = this.page.playing;
    }
    await this.player.start(mode);
  }

  // Correcting ------------------------------------------------------------------------------------------------------
  /**
   * One correction of what was heard; the screen is drawn anew when it was made.
   * @param {any} change
   * @param {any} [options]
   */
  correct(change, { gesture = null, near = null } = {}) {
    return this.edits.push({ kind: "loop_correct", loop_id: this.loopId, change }, { gesture, near });
  }

  get loopId() {
    return Number(this.section.dataset.loop);
  }

  /** @param {PageEvent} event */
  changed(event) {
    const target = event.target;
    if (target.id === "loop-file" && target.files.length) upload(this, target.files[0]);
    if (target.id === "loop-bars" || target.id === "loop-metre") {
      const bars = Number(byId("loop-bars").value);
      const metre = byId("loop-metre").value;
      this.correct({ kind: "bars", bars, metre }, { near: target });
    }
    if (target.id === "blend") this.player.setBlend(target.value);
    if (target.id === "follow-tempo") this.correct({ kind: "follow", follows: target.checked }, { near: target });
    else if (target.id === "sensitivity") this.correct({ kind: "sensitivity", value: Number(target.value) }, { gesture: "sensitivity", near: target });
  }

  /** @param {PageEvent} event */
  input(event) {
    if (event.target.id === "sensitivity") {
      event.target.closest(".setting").querySelector("output").textContent = `${Math.round(Number(event.target.value) * 100)} %`;
    }
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (!button || !this.section) return;
    const { dataset } = button;
    if (this.wave.click(button)) return;
    if (dataset.tool) this.setTool(dataset.tool);
    else if (dataset.playMode) this.playMode(dataset.playMode);
    else if (dataset.correction) this.correct({ kind: dataset.correction }, { near: button });
    else if (dataset.readingBars) this.correct({ kind: "bars", bars: Number(dataset.readingBars), metre: dataset.readingMetre }, { near: button });
    else if (dataset.regard) this.correct({ kind: "regard", time_s: Number(dataset.regard) }, { near: button });
    else if (dataset.take) this.take(button);
    else if (dataset.removeLoop !== undefined) this.remove(button);
  }

  /** @param {Piece} button */
  async take(button) {
    const name = byId("groove-name").value;
    const { lane, ...wanted } = this.uses.groove.wanted();
    const put_on = button.dataset.take === "on";
    const edit = { kind: "groove_loop", loop_id: this.loopId, name, ...wanted, put_on };
    if (!(await this.edits.push(edit, { near: byId("groove-name") }))) return;
    if (put_on) this.page.view.scope = "part"; // so that the Bench shows where it went
    await this.page.redraw();
    await this.page.refresh();
    const words = put_on ? `${name} is kept, and lies on ${button.dataset.part} now.` : `${name} is kept.`;
    byId("take-state").textContent = words;
  }

  /** @param {Piece} button */
  async remove(button) {
    if (!(await this.edits.push({ kind: "loop_take", loop_id: this.loopId }, { near: button }))) return;
    if (this.player.mode !== "stack") this.player.stop();
    await this.page.redraw(`/songs/${this.section.dataset.song}/loops`);
  }

  // The waveform ----------------------------------------------------------------------------------------------------
  /** @param {PageEvent} event */
  down(event) {
    const wave = event.target.closest?.("#wave");
    if (!wave || event.button !== 0) return;
    event.preventDefault();
    wave.focus({ preventScroll: true });
    const onset = event.target.closest(".onset");
    this.drag = { onset, x: event.clientX, from: this.wave.timeAt(event.clientX), moved: false };
    if (onset) this.choose(onset);
  }

  /** @param {PageEvent} event */
  move(event) {
    if (!this.drag) return;
    const dx = event.clientX - this.drag.x;
    if (!this.drag.moved && Math.abs(dx) < 4) return;
    const time = this.wave.timeAt(event.clientX);
    if (["ignore", "keep", "fill"].includes(this.tool)) {
      this.drag.moved = true;
      byId("span-drawn").classList.toggle("kept", this.tool !== "ignore");
      Object.assign(byId("span-drawn").dataset, { from: Math.min(this.drag.from, time), until: Math.max(this.drag.from, time) });
      this.wave.later();
      showLedger(`${Math.min(this.drag.from, time).toFixed(3)}–${Math.max(this.drag.from, time).toFixed(3)} s|${this.spanWords(this.drag.from, time)}`);
    } else if (this.tool === "move" && this.drag.onset) {
      this.drag.moved = true;
      this.drag.onset.dataset.at = time;
      this.wave.later();
      showLedger(`hit to ${time.toFixed(3)} s|it will snap to the attack there`);
    }
  }

  // Escape: nothing comes of what the hand was doing.
  letGo() {
    const { drag } = this;
    if (!drag) return false;
    this.drag = null;
    if (this.isOld) this.redraw();
    if (drag.moved && drag.onset && this.tool === "move") drag.onset.dataset.at = drag.onset.dataset.time;
    if (drag.moved) Object.assign(byId("span-drawn").dataset, { from: 0, until: 0 });
    this.wave.later();
    return true;
  }

  /**
   * @param {number} one
   * @param {number} other
   */
  spanWords(one, other) {
    if (this.tool === "ignore") return "nothing in it will count as a hit";
    return (this.tool === "keep" ? this.keepBars : this.fillSpan).words(one, other);
  }

  /** @param {PageEvent} event */
  up(event) {
    const drag = this.drag;
    this.drag = null;
    if (!drag) return;
    if (this.isOld) this.redraw();
    const near = drag.onset || byId("wave");
    const time_s = this.wave.timeAt(event.clientX);
    if (this.tool === "keep") this.keepBars.draw(drag.from, time_s);
    else if (this.tool === "fill") this.fillSpan.draw(drag.from, time_s);
    else if (this.tool === "ignore" && drag.moved) this.correct({ kind: "ignore", time_s: drag.from, to_s: time_s }, { near }).then(() => this.setTool("move"));
    else if (this.tool === "add" && !drag.onset) this.correct({ kind: "add", time_s }, { near });
    else if (this.tool === "one") this.correct({ kind: "one", time_s: drag.onset ? Number(drag.onset.dataset.time) : time_s }, { near }).then(() => this.setTool("move"));
    else if (this.tool === "remove" && drag.onset) this.removeHit(drag.onset);
    else if (drag.moved) this.correct({ kind: "move", time_s: Number(drag.onset.dataset.time), to_s: time_s }, { near });
  }

  /** @param {any} onset */
  removeHit(onset) {
    onset.classList.add("gone");
    this.correct({ kind: "remove", time_s: Number(onset.dataset.time) }, { near: onset });
  }

  /** @param {any} onset */
  choose(onset) {
    document.querySelectorAll(".onset.chosen").forEach((other) => other.classList.remove("chosen"));
    onset.classList.add("chosen");
    this.waveKeys.chosen();
    this.wave.follow(Number(onset.dataset.time));
    this.wave.later();
    showLedger(onset.dataset.label);
    speak(onset.dataset.label);
    this.uses.showHit();
  }

  /** @param {PageEvent} event */
  over(event) {
    const onset = event.target.closest?.(".onset");
    if (onset) showLedger(onset.dataset.label);
  }

  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get keys() {
    const onWave = () => document.activeElement?.id === "wave";
    return [
      ...this.uses.keys,
      ...[...this.wave.keys, ...this.waveKeys.rows].map((row) => ({ when: onWave, ...row })),
      { keys: "ArrowLeft ArrowRight", shows: "← →", words: "step through the hits", when: onWave, run: (/** @type {PageEvent} */ event) => this.stepHit(event.key === "ArrowRight" ? 1 : -1) },
      { keys: "Delete Backspace", shows: "Delete", words: "remove the hit", when: onWave, run: () => this.chosenHit && void this.removeHit(this.chosenHit) },
    ].map((row) => ({ ...row, when: () => Boolean(this.section) && (!row.when || row.when()) }));
  }

  get chosenHit() {
    return document.querySelector(".onset.chosen:not(.gone)") ?? false;
  }

  /** @param {number} by */
  stepHit(by) {
    const onsets = [...document.querySelectorAll(".onset:not(.gone)")];
    const at = onsets.indexOf(this.chosenHit);
    const next = onsets[Math.max(0, Math.min(onsets.length - 1, at + by))];
    if (next) this.choose(next);
  }
}
