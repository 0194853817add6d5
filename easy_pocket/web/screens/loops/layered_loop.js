// A loop under the stack: how it plays there, set in the panel and heard at once.

import { focused, byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { paint, paintAll } from "../../shared/sliders.js";

export class LoopUnder {
  /** @param {any} uses */
  constructor(uses) {
    this.uses = uses;
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("input", (event) => this.input(event));
  }

  get box() {
    return byId("loop-under");
  }

  get loopId() {
    return Number(this.uses.loops.section.dataset.loop);
  }

  /**
   * @param {any} edit
   * @param {Piece} near
   * @param {any} [gesture]
   */
  push(edit, near, gesture = null) {
    this.uses.page.edits.push({ loop_id: this.loopId, ...edit }, { near, gesture });
  }

  /**
   * @param {string} field
   * @param {any} value
   * @param {Piece} near
   * @param {any} [gesture]
   */
  set(field, value, near, gesture = null) {
    this.push({ kind: "under_set", field, value }, near, gesture);
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("[data-under-put]");
    if (button) this.push({ kind: "under", there: button.dataset.underPut === "true" }, button);
  }

  /** @param {PageEvent} event */
  change(event) {
    const { target } = event;
    if (!this.box?.contains(target)) return;
    const { under, underCheck, underSlide } = target.dataset;
    if (underCheck) this.set(underCheck, target.checked, target);
    else if (underSlide) {
      this.set(underSlide, Number(target.value), target, this.gesture);
      /** @type {any} */
      this.gesture = null;
    } else if (under === "section_id") this.set(under, target.value ? Number(target.value) : null, target);
    else if (under) this.set(under, WORDS.includes(under) ? target.value : Number(target.value), target);
  }

  /** @param {PageEvent} event */
  input(event) {
    const { target } = event;
    const field = target.dataset?.underSlide;
    if (!field || !this.box?.contains(target)) return;
    this.gesture ??= `under-${Date.now()}`;
    paint(target);
    const value = Number(target.value);
    target.closest(".setting").querySelector("output").textContent = target.dataset.zero && !value ? target.dataset.zero : `${value} ${target.dataset.unit}`;
    this.set(field, value, target, this.gesture);
  }

  // The song has changed: draw the panel anew, but not under a hand that drags.
  async follow() {
    if (!this.box || this.gesture) return;
    const answer = await ask(`${this.uses.loops.address}/under`).catch(() => null);
    if (!answer?.ok || !this.box || this.gesture) return;
    const held = focused().dataset.under ?? focused().dataset.underSlide;
    this.box.innerHTML = await answer.text();
    paintAll(this.box);
    if (held) this.box.querySelector(`[data-under="${held}"], [data-under-slide="${held}"]`)?.focus({ preventScroll: true });
  }
}

const WORDS = ["how", "to", "duck_voice"];
