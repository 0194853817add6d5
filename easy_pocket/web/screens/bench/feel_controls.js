// Sliders, switches and lists of the Bench: the feel of a scope, the mix of a voice, grid, length and voices.

import { byId } from "../../shared/dom.js";
import { showNote } from "../../shared/notes.js";

const HOLD_MS = 280;

export class FeelControls {
  /** @param {any} bench */
  constructor(bench) {
    this.bench = bench;
    this.page = bench.page;
    this.edits = bench.page.edits;
    this.steering = false; // a slider of the feel is being dragged
    /** @type {any} */
    this.gesture = null;
    bench.on("click", (/** @type {PageEvent} */ event) => this.click(event));
    bench.on("input", (/** @type {PageEvent} */ event) => event.target.type === "range" && this.slide(event.target));
    bench.on("change", (/** @type {PageEvent} */ event) => this.change(event));
    bench.on("pointerdown", (/** @type {PageEvent} */ event) => event.target.dataset?.mix === "solo" && this.holdSolo(event.target));
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (!button) return;
    const { dataset } = button;
    if (dataset.scope && button.closest(".other-row")) return; // its part is selected first
    if (dataset.scope) {
      this.page.look({ scope: dataset.scope });
      if (button.closest(".rail-row")) this.page.sound(dataset.scope, true);
    } else if (dataset.lookPattern) this.page.lookAt({ pattern: Number(dataset.lookPattern) });
    else if (dataset.length) this.edits.push({ kind: "length", bars: Number(dataset.length) }, { near: byId("tools") });
    else if (dataset.inherit) this.feel(dataset.inherit, null, button);
    else if (dataset.reroll !== undefined) this.feel("seed", 1 + Math.floor(Math.random() * 9998), button);
    else if (dataset.feelSet) this.feel(dataset.feelSet, Number(dataset.value), button);
    else if (dataset.mix) this.mix(button, button.getAttribute("aria-pressed") !== "true");
  }

  /**
   * @param {string} field
   * @param {any} value
   * @param {any} near
   * @param {any} [gesture]
   */
  feel(field, value, near, gesture = null) {
    this.edits.push({ kind: "feel", scope: this.page.view.scope, field, value }, { gesture, near });
  }

  /**
   * @param {Piece} element
   * @param {any} value
   * @param {any} [gesture]
   */
  mix(element, value, gesture = null) {
    this.edits.push({ kind: "mix", ...whoseMix(element), field: element.dataset.mix, value }, { gesture, near: element });
  }

  /**
   * Solo while the button is held; a short press turns it on and off.
   * @param {Piece} button
   */
  holdSolo(button) {
    const whose = whoseMix(button);
    if (button.getAttribute("aria-pressed") === "true") return;
    let held = false;
    const timer = setTimeout(() => {
      held = true;
      this.page.pressed = null; // what it does is to be seen while it is held
      this.edits.push({ kind: "mix", ...whose, field: "solo", value: true }, { near: button });
    }, HOLD_MS);
    const release = () => {
      clearTimeout(timer);
      if (!held) return;
      this.edits.push({ kind: "mix", ...whose, field: "solo", value: false }, { near: byId("rail-rows") });
      const swallow = (/** @type {any} */ click) => {
        click.stopImmediatePropagation();
        click.preventDefault();
      };
      document.addEventListener("click", swallow, { capture: true, once: true });
      setTimeout(() => document.removeEventListener("click", swallow, { capture: true }), 60);
    };
    document.addEventListener("pointerup", release, { once: true });
  }

  /** @param {Piece} slider */
  slide(slider) {
    this.gesture ??= `slide-${Date.now()}`;
    if (slider.dataset.feel) {
      this.steering = true;
      const typed = document.querySelector(`.typed[data-feel="${slider.dataset.feel}"]`);
      if (typed) typed.value = slider.value;
      this.page.tryOut.steer(this.page.view.scope, slider.dataset.feel, Number(slider.value), (/** @type {any} */ tried, /** @type {string} */ field) => this.bench.showTried(tried, field));
    } else if (slider.dataset.mix) {
      this.mix(slider, Number(slider.value), this.gesture);
    }
  }

  /** @param {PageEvent} event */
  change(event) {
    const { target } = event;
    if (target.type === "range") this.slid(target);
    else if (target.matches(".typed[data-feel]")) this.typed(target);
    else if (target.dataset.feelSelect) this.feel(target.dataset.feelSelect, target.value, target);
    else if (target.dataset.feelCheck) this.feel(target.dataset.feelCheck, JSON.parse(target.checked ? target.dataset.on : target.dataset.off), target);
    else if (target.dataset.edit === "grid") this.edits.push({ kind: "grid", grid: target.value }, { near: target });
    else if (target.dataset.edit === "add-voice" && target.value) this.edits.push({ kind: "voice", voice: target.value, there: true }, { near: target });
    else if (target.dataset.edit === "voice-grid") this.edits.push({ kind: "voice_grid", voice: this.bench.rowTools.voice, grid: target.value }, { near: target });
    else if (target.id === "length-typed") this.typedLength(target);
  }

  /** @param {Piece} slider */
  slid(slider) {
    this.steering = false;
    this.gesture = null;
    if (!slider.dataset.feel) return;
    this.page.tryOut.keep();
    this.feel(slider.dataset.feel, Number(slider.value), slider);
  }

  /** @param {any} field */
  typed(field) {
    const value = Number(field.value);
    const low = Number(field.min);
    const high = Number(field.max);
    const good = field.value !== "" && value >= low && value <= high;
    field.classList.toggle("wrong", !good);
    if (!good) showNote(`'${field.value}' does not fit here: type a number from ${low} to ${high}.`, { near: field, wrong: true });
    else {
      field.blur();
      this.feel(field.dataset.feel, value, field);
    }
  }

  /**
   * A length in slots of the grid; odd ones too.
   * @param {any} field
   */
  typedLength(field) {
    const slots = Number(field.value.replace(",", "."));
    const ticks = Math.round(slots * this.bench.rails.facts.step);
    if (Number.isFinite(slots) && ticks >= 10) this.edits.push({ kind: "length_ticks", length_ticks: ticks }, { near: field });
    else showNote(`'${field.value}' is no length: type a number of slots, 16 say.`, { near: field, wrong: true });
  }
}

/**
 * The voice of a rail's head, and its part where that is not the selected one.
 * @param {Piece} element
 */
function whoseMix(element) {
  const { voice, part } = element.closest("[data-voice]").dataset;
  return part ? { voice, part_id: Number(part) } : { voice };
}
