// Bars of passes are sewn into the result: by press, drag or keys; passes are named, the result is pulled and written.

import { byId } from "../../shared/dom.js";
import { nameInPlace } from "../../shared/name_in_place.js";
import { showNote, speak } from "../../shared/notes.js";

const MOST_REASONS = 4; // bars whose reasons are told at once

export class Sewing {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    /** @type {{ voice: string } | null} */
    this.drawn = null;
    screen.on("pointerdown", (event) => this.down(event));
    screen.on("pointermove", (event) => this.move(event));
    screen.on("pointerup", () => this.up());
    screen.on("pointercancel", () => this.letGo());
  }

  /** @param {PageEvent} event */
  barAt(event) {
    const lane = byId("passes-picture").getBoundingClientRect();
    const take = this.screen.data?.take;
    if (!take) return 0;
    const bars = Math.ceil(take.length_ticks / take.bar_ticks);
    return Math.max(0, Math.min(bars - 1, Math.floor((((event.clientX - lane.left) / lane.width) * take.length_ticks) / take.bar_ticks)));
  }

  /** @param {PageEvent} event */
  down(event) {
    const lane = event.target.closest?.(".pass-lane");
    const row = lane?.closest(".pass");
    const pass = Number(row?.dataset.pass ?? 0);
    if (!pass || event.button > 0) return;
    const bar = this.barAt(event);
    const voice = event.shiftKey ? this.voiceAt(event, lane) : "";
    this.screen.picture.marked = { pass, from: bar, to: bar };
    this.drawn = { voice };
    this.screen.picture.cursor = { row: [...document.querySelectorAll(".pass:not(.going)")].indexOf(row), bar };
    this.screen.picture.later();
  }

  /**
   * @param {PageEvent} event
   * @param {Piece} lane
   */
  voiceAt(event, lane) {
    const voices = this.screen.data?.take?.voices ?? [];
    const box = lane.getBoundingClientRect();
    return voices[Math.max(0, Math.min(voices.length - 1, Math.floor(((event.clientY - box.top) / box.height) * voices.length)))] ?? "";
  }

  /** @param {PageEvent} event */
  move(event) {
    if (!this.screen.picture.marked) return;
    this.screen.picture.marked.to = this.barAt(event);
    this.screen.picture.later();
  }

  up() {
    const { marked } = this.screen.picture;
    if (!marked) return;
    this.screen.picture.marked = null;
    this.sew(marked.pass, marked.from, marked.to, this.drawn?.voice);
    this.screen.picture.later();
  }

  /**
   * Each bar from its steadiest pass; and why, in words.
   * @param {import("../../shared/shapes").TakeData} take
   * @param {Piece} near
   */
  async steadiest(take, near) {
    const names = new Map(take.passes.map((one) => [one.id, one.name]));
    const words = take.reasons.slice(0, MOST_REASONS).map(([bar, key, why]) => `Bar ${bar + 1}: ${names.get(key)}, ${why}.`);
    const made = await this.screen.edits.push({ kind: "take_steadiest", take_id: take.id }, { near });
    if (made) showNote(words.join(" "), { near });
  }

  letGo() {
    if (!this.screen.picture.marked) return false;
    this.screen.picture.marked = null;
    this.screen.picture.later();
    return true;
  }

  /**
   * @param {number} pass
   * @param {number} from
   * @param {number} to
   * @param {string} [voice]
   */
  sew(pass, from, to, voice = "") {
    const take = this.screen.data?.take;
    if (!take) return;
    const [first, last] = [Math.min(from, to), Math.max(from, to)];
    const there = first === last && !voice && this.screen.picture.isSewn(pass, first, "") && !take.sews.some(([bar, , name]) => bar === first && name);
    this.screen.edits.push({ kind: "take_sew", take_id: take.id, from_bar: first, to_bar: last, pass_id: there ? 0 : pass, voice }, { near: this.screen.work });
  }

  get rows() {
    return [...document.querySelectorAll(".pass:not(.going)")];
  }

  /**
   * @param {number} rows
   * @param {number} bars
   */
  step(rows, bars) {
    const take = this.screen.data?.take;
    if (!take) return false;
    const { rows: all } = this;
    const most = Math.ceil(take.length_ticks / take.bar_ticks) - 1;
    const at = this.screen.picture.cursor ?? { row: 0, bar: 0 };
    const cursor = { row: Math.max(0, Math.min(all.length - 1, at.row + rows)), bar: Math.max(0, Math.min(most, at.bar + bars)) };
    this.screen.picture.cursor = cursor;
    all[cursor.row]?.scrollIntoView({ block: "nearest" });
    speak(`${all[cursor.row]?.getAttribute("aria-label")?.split(",")[0]}, bar ${cursor.bar + 1}`);
    this.screen.picture.later();
    return true;
  }

  // The pass under the cursor.
  get pass() {
    return Number(this.rows[this.screen.picture.cursor?.row ?? 0]?.dataset.pass ?? 0);
  }

  /**
   * @param {"pattern" | "new" | "passes"} to
   * @param {Piece} near
   */
  async write(to, near) {
    const take = this.screen.data?.take;
    if (!take) return;
    this.screen.hearing.end();
    const made = await this.screen.edits.push({ kind: "take_write", take_id: take.id, to }, { near });
    if (made) showNote(`${made.description}.`, { near: byId("write-in") });
  }

  /**
   * A voice is pulled as far as the slider says, or not at all.
   * @param {string} voice
   * @param {Piece} near
   */
  pull(voice, near) {
    const take = this.screen.data?.take;
    if (!take) return;
    const percent = Number(byId("result-pull").value);
    const pulled = near.getAttribute("aria-pressed") === "true";
    press(near, !pulled);
    this.screen.edits.push({ kind: "take_set", take_id: take.id, pulls: { [voice]: pulled ? 0 : percent } }, { near });
  }

  /**
   * @param {Piece} button
   * @param {number} take_id
   */
  nameIt(button, take_id) {
    nameInPlace(button, { label: "Name of this pass", most: 60 }, (name) => this.screen.edits.push({ kind: "take_pass_name", take_id, pass_id: Number(button.dataset.namePass), name }, { near: button }));
  }
}

/**
 * @param {Piece} button
 * @param {boolean} on
 */
export function press(button, on) {
  button.classList.toggle("on", on);
  button.setAttribute("aria-pressed", `${on}`);
}
