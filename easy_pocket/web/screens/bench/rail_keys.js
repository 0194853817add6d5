// The Bench without a mouse: the cursor on the rails, and every deed by a key.

import { byId } from "../../shared/dom.js";
import { showLedger, showNote, speak } from "../../shared/notes.js";
import { ledgerText, placeName, spokenHit } from "../../shared/rail_words.js";

const GHOST_VELOCITY = 38;
const ACCENT_VELOCITY = 116;

export class RailKeys {
  /** @param {any} rails */
  constructor(rails) {
    this.rails = rails;
  }

  // They hold while the rails have the focus.
  get on() {
    const { rails } = this;
    if (!rails.facts || !rails.box || document.activeElement !== rails.box) return false;
    rails.ensureCursor();
    return true;
  }

  get rows() {
    const when = () => this.on;
    return [...this.moving, ...this.writing, ...this.choosing, ...this.selection].map((row) => ({ when, ...row }));
  }

  get moving() {
    const { chosen } = this.rails;
    const step = () => this.rails.data.step(this.rails.cursor.voice);
    return [
      { keys: "ArrowLeft ArrowRight ArrowUp ArrowDown Home End", shows: "arrows, Home, End", words: "move the cursor", run: (/** @type {PageEvent} */ event) => this.go(event.key) },
      { keys: "PageUp PageDown", shows: "Page ↑ ↓", words: "a page of bars on", run: (/** @type {PageEvent} */ event) => this.go(event.key) },
      { keys: "Shift+ArrowLeft", shows: "Shift arrows", words: "move hits by a slot, or a rail", run: () => chosen.move(-step(), 0) ?? true },
      { keys: "Shift+ArrowRight", run: () => chosen.move(step(), 0) ?? true },
      { keys: "Shift+ArrowUp", run: () => chosen.move(0, -1) ?? true },
      { keys: "Shift+ArrowDown", run: () => chosen.move(0, 1) ?? true },
      { keys: ",", shows: ", .", words: "nudge 1 ms early, late (Shift: 5 ms)", run: () => this.nudge(-1) },
      { keys: ".", run: () => this.nudge(1) },
      { keys: "< ;", run: () => this.nudge(-5) },
      { keys: "> :", run: () => this.nudge(5) },
    ];
  }

  get writing() {
    const { rails } = this;
    const { chosen } = rails;
    const press = (/** @type {string} */ kind) => document.querySelector(`#rail-${rails.cursor.voice} [data-mix="${kind}"]`).click();
    return [
      { keys: "Enter", words: "write or remove a hit", run: () => this.turn() },
      { keys: "Delete Backspace", shows: "Delete", words: "remove the hit or the chosen ones", run: () => chosen.remove() ?? true },
      { keys: "1-9", shows: "1 – 9", words: "velocity of the hit, or of the chosen ones", run: (/** @type {PageEvent} */ event) => this.velocity(Math.round((Number(event.key) / 9) * 127)) },
      { keys: "g", shows: "g, a", words: "ghost, accent", run: () => this.velocity(GHOST_VELOCITY) },
      { keys: "a", run: () => this.velocity(ACCENT_VELOCITY) },
      { keys: "f", shows: "f, r", words: "flam, ratchet (Shift: drag, roll)", run: () => chosen.ornament("flam") ?? true },
      { keys: "F", run: () => chosen.ornament("drag") ?? true },
      { keys: "r", run: () => chosen.ornament("ratchet") ?? true },
      { keys: "R", run: () => chosen.ornament("roll") ?? true },
      { keys: "b", words: "another sound of the voice, for this hit", run: () => this.nextSound() },
      { keys: "l", words: "lock the hit (Shift: the row)", run: () => chosen.lock() ?? true },
      { keys: "L", run: () => this.lockRow() },
      { keys: "m", shows: "m, s", words: "mute, solo the voice", run: () => press("mute") },
      { keys: "s", run: () => press("solo") },
      { keys: "k", words: "only kick and snare", run: () => this.onlyBackbone() },
    ];
  }

  get choosing() {
    const { rails } = this;
    const { chosen } = rails;
    return [
      { keys: "e", words: "write or select", run: () => rails.setMode(rails.mode === "write" ? "select" : "write") },
      { keys: "v", words: "choose the hit under the cursor", run: () => this.hit && chosen.toggle(this.hit) },
      { keys: "w", shows: "w, p", words: "choose the row, the place in all bars", run: () => chosen.by("row") },
      { keys: "p", run: () => chosen.by("place") },
      { keys: "Ctrl+a", shows: "Ctrl A", words: "choose all", run: () => chosen.by("all") },
      { keys: "[", shows: "[ ]", words: "choose bars from the cursor on, up to it", run: () => this.bars(rails.cursor.tick, null) },
      { keys: "]", run: () => this.bars(null, rails.cursor.tick) },
      { keys: "Escape", words: "choose none", run: () => chosen.keys.size > 0 && (chosen.clear() ?? true) },
      { keys: "", shows: "Ctrl C X V", words: "copy, cut, paste at the cursor", run: () => false },
    ];
  }

  get selection() {
    const { rails } = this;
    const length = (/** @type {number} */ factor) => Math.round(this.lengthToBe * factor);
    return [
      { keys: "+", shows: "+ −", words: "zoom", run: () => rails.zoom(0.5, rails.cursor.tick) },
      { keys: "-", run: () => rails.zoom(2, rails.cursor.tick) },
      { keys: "d", words: "double the length, copying (Shift: halve)", run: () => rails.push({ kind: "length", bars: Math.max(1, Math.round(length(2) / rails.facts.bar)) }, { near: rails.box }) },
      { keys: "D", run: () => rails.push({ kind: "length_ticks", length_ticks: Math.max(10, length(0.5)) }, { near: rails.box }) },
    ];
  }

  // The pattern's length with the edits that are on their way: keys in quick succession add up.
  get lengthToBe() {
    const { facts, edits } = this.rails;
    const last = edits.queue.map((/** @type {any} */ item) => item.edit).findLast((/** @type {any} */ edit) => ["length", "length_ticks"].includes(edit?.kind));
    return last ? (last.length_ticks ?? last.bars * facts.bar) : facts.length;
  }

  // The hit under the cursor.
  get hit() {
    const { voice, tick } = this.rails.cursor;
    return this.rails.find(voice, tick);
  }

  turn() {
    const { voice, tick } = this.rails.cursor;
    if (this.hit) this.rails.remove(voice, tick);
    else this.rails.write(voice, tick);
  }

  lockRow() {
    const { rails } = this;
    const { voice } = rails.cursor;
    rails.push({ kind: "lock_voice", voice, locked: !rails.facts.lockedVoices.includes(voice) }, { near: rails.box });
  }

  /** @param {string} key */
  go(key) {
    const { rails } = this;
    const { voice, tick } = rails.cursor;
    const voices = rails.shownVoices();
    const step = rails.data.step(voice);
    const row = voices.indexOf(voice);
    const { start, end } = rails.look;
    if ((key === "ArrowUp" && row === 0) || (key === "ArrowDown" && row === voices.length - 1)) {
      if (rails.others.step(key === "ArrowUp" ? -1 : 1)) return;
    }
    const last = (Math.ceil(rails.facts.length / step) - 1) * step;
    /** @type {Record<string, any>} */
    const places = {
      ArrowLeft: [voice, (Math.ceil(tick / step) - 1) * step],
      ArrowRight: [voice, (Math.floor(tick / step) + 1) * step],
      Home: [voice, Math.ceil(start / step) * step],
      End: [voice, Math.floor((end - 1) / step) * step],
      ArrowUp: [voices[Math.max(0, row - 1)], tick],
      ArrowDown: [voices[Math.min(voices.length - 1, row + 1)], tick],
      PageUp: [voice, tick - (end - start)],
      PageDown: [voice, tick + (end - start)],
    };
    const [toVoice, toTick] = places[key];
    this.reach(toVoice, Math.max(0, Math.min(toTick, last)));
  }

  /**
   * The cursor goes there, in sight, and what is there is told.
   * @param {string} voice
   * @param {number} tick
   */
  reach(voice, tick) {
    this.rails.putCursor(voice, tick);
    byId(`rail-${voice}`).scrollIntoView({ block: "nearest" });
    this.tell();
  }

  tell() {
    const { rails } = this;
    const { voice, tick } = rails.cursor;
    const hit = rails.find(voice, tick);
    speak(hit ? spokenHit(hit, rails.facts) : `${rails.nameOf(voice)}, ${placeName(tick, rails.facts)}, no hit`);
    if (hit) showLedger(ledgerText(hit, rails.facts, rails.marks.targets?.get(hit.voice)?.get(hit.tick)));
    rails.marks.hot = hit ? `${voice} ${tick}` : null;
  }

  /**
   * Choose bars: from the cursor's bar on, or up to it.
   * @param {number | null} from
   * @param {number | null} to
   */
  bars(from, to) {
    const { rails } = this;
    const barOf = (/** @type {any} */ tick) => Math.floor(tick / rails.facts.bar) + 1;
    const now = rails.bars ?? { from: barOf(from ?? to), count: 1 };
    const last = now.from + now.count - 1;
    const first = from === null ? Math.min(now.from, barOf(to)) : barOf(from);
    const end = to === null ? Math.max(first, last) : Math.max(first, barOf(to));
    rails.chooseBars({ from: first, count: end - first + 1 });
    speak(rails.bars.count > 1 ? `bars ${first} to ${end} chosen` : `bar ${first} chosen`);
  }

  /** @param {any} value */
  velocity(value) {
    const { rails } = this;
    const { voice, tick } = rails.cursor;
    if (rails.chosen.keys.size) rails.chosen.velocity(value);
    else if (rails.find(voice, tick)) rails.push({ kind: "velocity", voice, tick, velocity: value }, { near: rails.canvasOf(voice) });
    else rails.write(voice, tick, value);
  }

  /** @param {number} ms */
  nudge(ms) {
    const { rails } = this;
    if (rails.chosen.keys.size) {
      rails.chosen.nudge(ms);
      return;
    }
    const { voice, tick } = rails.cursor;
    const hit = rails.find(voice, tick);
    if (!hit) return;
    // What was foreseen is what the next press starts from, so keys in quick succession add up.
    const offset_ms = Math.max(-250, Math.min(250, hit.own + ms));
    rails.push({ kind: "offset", voice, tick, offset_ms }, { gesture: `nudge-${voice}-${tick}`, near: rails.canvasOf(voice) });
  }

  // The voice's own sound, then its alternates one after another.
  nextSound() {
    const { rails, hit } = this;
    if (!hit) return;
    const row = byId(`rail-${hit.voice}`);
    const count = Number(row.dataset.alternates);
    if (!count) showNote("This voice has no other sounds yet: add an alternate on the Kit screen.", { near: row });
    else rails.push({ kind: "alternate", voice: hit.voice, tick: hit.tick, alternate: (hit.asked + 1) % (count + 1) }, { near: row });
  }

  // Only kick and snare, and all again.
  onlyBackbone() {
    const { rails } = this;
    const backbone = rails.voices().filter((/** @type {string} */ voice) => voice === "kick" || voice === "snare");
    const soloed = [...document.querySelectorAll('.rail-row:has([data-mix="solo"][aria-pressed="true"])')].map((row) => row.dataset.voice);
    const same = soloed.length === backbone.length && backbone.every((/** @type {string} */ voice) => soloed.includes(voice));
    rails.push({ kind: "solo_only", voices: same ? [] : backbone }, { near: rails.box });
  }
}
