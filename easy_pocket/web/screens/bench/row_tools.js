// Tools for a whole row: every n-th slot, so many hits spread evenly, thinned, copied, turned. One press is one move.

import { byId } from "../../shared/dom.js";

export class RowTools {
  /**
   * @param {any} edits
   * @param {any} rails
   */
  constructor(edits, rails) {
    this.edits = edits;
    this.rails = rails;
    /** @type {any} */
    this.voice = null;
    document.addEventListener("click", (event) => this.click(event));
  }

  get panel() {
    return byId("row-tools");
  }

  /** @param {Piece} button */
  open(button) {
    const row = button.closest(".rail-row");
    const voice = row.dataset.voice;
    if (this.voice === voice && !this.panel.hidden) {
      this.close();
      return;
    }
    this.voice = voice;
    const { panel } = this;
    panel.hidden = false;
    byId("row-tools-name").textContent = this.rails.nameOf(voice);
    const to = byId("row-copy-to");
    to.replaceChildren(...this.rails.voices().map((/** @type {string} */ key) => new Option(this.rails.nameOf(key), key, false, key !== voice)));
    const steps = this.rails.facts.steps[voice];
    byId("row-grid").value = steps === undefined ? "part" : (/** @type {Record<string, any>} */ ({ 480: "8", 320: "8T", 240: "16", 160: "16T", 120: "32", 192: "quint" })[steps] ?? "off");
    byId("row-lock").textContent = this.rails.facts.lockedVoices.includes(voice) ? "free the row" : "lock the row";
    const takeable = row.dataset.takeable !== undefined;
    byId("row-take").hidden = !takeable;
    byId("row-take-why").hidden = takeable;
    to.value = this.rails.voices().find((/** @type {string} */ key) => key !== voice) ?? voice;
    // Beside the rail's head, under its row or above it: the row itself stays in sight.
    const place = row.getBoundingClientRect();
    const below = place.bottom + 4;
    const fits = below + panel.offsetHeight < window.innerHeight - 32;
    panel.style.left = `${button.getBoundingClientRect().right + 14}px`;
    panel.style.top = `${fits ? below : Math.max(60, place.top - panel.offsetHeight - 4)}px`;
    panel.querySelector("button, input").focus({ preventScroll: true });
  }

  /** @returns {boolean} whether it was open */
  close() {
    if (!this.panel || this.panel.hidden) return false;
    this.panel.hidden = true;
    byId("rail-rows")?.focus({ preventScroll: true });
    return true;
  }

  // Where a row begins to be filled: at the cursor when it is on this row, else at the first bar in view.
  get from() {
    const { cursor, look } = this.rails;
    const step = this.rails.data.step(this.voice);
    return cursor?.voice === this.voice ? cursor.tick : Math.ceil(look.start / step) * step;
  }

  // Every n-th slot counts from the bar the cursor is in, or from the cursor itself.
  get everyFrom() {
    const { bar } = this.rails.facts;
    return byId("row-from-cursor").checked ? this.from : Math.floor(this.from / bar) * bar;
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (button?.dataset.rowTools !== undefined) {
      this.open(button);
      return;
    }
    const { panel } = this;
    if (!panel || panel.hidden) return;
    if (!panel.contains(event.target)) {
      panel.hidden = true;
      return;
    }
    if (button) this.press(button, button.dataset);
  }

  /**
   * @param {Piece} button
   * @param {any} dataset
   */
  press(button, dataset) {
    const { voice } = this;
    const step_ticks = this.rails.data.step(voice);
    const number = (/** @type {any} */ id) => Math.round(Number(byId(id).value));
    const push = (/** @type {any} */ edit) => this.edits.push({ voice, ...edit }, { near: button });
    if (dataset.close !== undefined) this.close();
    else if (dataset.takeVoice !== undefined) {
      push({ kind: "voice", there: false });
      this.close();
    }
    else if (dataset.lockRow !== undefined) push({ kind: "lock_voice", locked: !this.rails.facts.lockedVoices.includes(voice) });
    else if (dataset.every) push({ kind: "row_every", start_tick: this.everyFrom, step_ticks, every: Number(dataset.every), replace: byId("row-replace").checked });
    else if (dataset.turn) push({ kind: "row_turn", how: dataset.turn, step_ticks });
    else if (dataset.spread !== undefined) push({ kind: "row_spread", start_tick: this.from, step_ticks, hits: number("row-hits"), slots: number("row-slots"), turned: number("row-turned") });
    else if (dataset.thin !== undefined) push({ kind: "row_thin", percent: Number(byId("row-percent").value), seed: Math.floor(Math.random() * 2 ** 31) });
    else if (dataset.copy !== undefined) push({ kind: "row_copy", to_voice: byId("row-copy-to").value, shift_ticks: number("row-shift") * step_ticks });
  }
}
