// A loop under the stack: how it plays there, set in the panel and heard at once.

import { focused, byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { paint, paintAll } from "../../shared/sliders.js";

export class LoopLayer {
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
    this.push({ kind: "layered_loop_set", field, value }, near, gesture);
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("[data-layer-put]");
    if (button) this.push({ kind: "layered_loop", there: button.dataset.layerPut === "true" }, button);
    const voice = event.target.closest?.("[data-layer-duck]");
    if (!voice) return;
    voice.setAttribute("aria-pressed", voice.getAttribute("aria-pressed") !== "true");
    voice.classList.toggle("on", voice.getAttribute("aria-pressed") === "true");
    const chosen = [...this.box.querySelectorAll('[data-layer-duck][aria-pressed="true"]')];
    this.set("duck_voice", chosen.map((/** @type {any} */ one) => one.dataset.layerDuck).join(","), voice);
  }

  /** @param {PageEvent} event */
  change(event) {
    const { target } = event;
    if (!this.box?.contains(target)) return;
    const { layer, layerCheck, layerSlide } = target.dataset;
    if (layerCheck) this.set(layerCheck, target.checked, target);
    else if (layerSlide) {
      this.set(layerSlide, Number(target.value), target, this.gesture);
      /** @type {any} */
      this.gesture = null;
    } else if (layer === "section_id") this.set(layer, target.value ? Number(target.value) : null, target);
    else if (layer) this.set(layer, WORDS.includes(layer) ? target.value : Number(target.value), target);
  }

  /** @param {PageEvent} event */
  input(event) {
    const { target } = event;
    const field = target.dataset?.layerSlide;
    if (!field || !this.box?.contains(target)) return;
    this.gesture ??= `layer-${Date.now()}`;
    paint(target);
    const value = Number(target.value);
    target.closest(".setting").querySelector("output").textContent = target.dataset.zero && !value ? target.dataset.zero : `${value} ${target.dataset.unit}`;
    this.set(field, value, target, this.gesture);
  }

  // The song has changed: draw the panel anew, but not under a hand that drags.
  async follow() {
    if (!this.box || this.gesture) return;
    const answer = await ask(`${this.uses.loops.address}/layer`).catch(() => null);
    if (!answer?.ok || !this.box || this.gesture) return;
    const held = focused().dataset.layer ?? focused().dataset.layerSlide ?? focused().dataset.layerDuck;
    this.box.innerHTML = await answer.text();
    paintAll(this.box);
    if (held) this.box.querySelector(`[data-layer="${held}"], [data-layer-slide="${held}"], [data-layer-duck="${held}"]`)?.focus({ preventScroll: true });
  }
}

const WORDS = ["how", "to"];
