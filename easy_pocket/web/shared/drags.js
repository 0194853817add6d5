// Values one draws sideways and can type: `.drag` with its limits, step and curve as data. What is set is told to
// `set(drag, value, gesture)`; the server's drawing replaces what is shown here meanwhile.

import { showNote } from "./notes.js";

const WHOLE_PX = 220; // drawn this far, a value goes from its lowest to its highest

export class Drags {
  /**
   * @param {any} set
   * @param {string} screen on which its values stand
   */
  constructor(set, screen) {
    this.set = set;
    this.drags = `#screen[data-screen="${screen}"] .drag[data-drag]`;
    /** @type {any} */
    this.now = null;
    document.addEventListener("pointerdown", (event) => this.down(event));
    document.addEventListener("pointermove", (event) => this.move(event));
    document.addEventListener("pointerup", () => this.up());
    document.addEventListener("pointercancel", () => (this.now = null));
    document.addEventListener("keydown", (event) => this.key(event), true);
    document.addEventListener("focusout", (event) => this.left(event));
  }

  get busy() {
    return this.now?.moved ?? false;
  }

  /** @param {any} drag */
  facts(drag) {
    const { low, high, step, curve, value, blank, scale } = drag.dataset;
    return { low: Number(low), high: Number(high), step: Number(step), scale: Number(scale), curve, blank, value: value === "" ? null : Number(value) };
  }

  /** @param {PageEvent} event */
  down(event) {
    const drag = event.target.closest?.(this.drags);
    if (!drag || event.button !== 0) return;
    const field = drag.querySelector("input");
    if (document.activeElement === field && field.classList.contains("typing")) return;
    event.preventDefault();
    field.focus({ preventScroll: true });
    const facts = this.facts(drag);
    this.now = { drag, field, facts, x: event.clientX, from: facts.value ?? facts.high, moved: false, gesture: `drag-${Date.now()}` };
    drag.setPointerCapture?.(event.pointerId);
  }

  /** @param {PageEvent} event */
  move(event) {
    const now = this.now;
    if (!now) return;
    const dx = event.clientX - now.x;
    if (!now.moved && Math.abs(dx) < 3) return;
    now.moved = true;
    const share = (dx / WHOLE_PX) * (event.shiftKey ? 0.1 : 1);
    this.show(now.drag, this.moved(now.facts, now.from, share));
    this.set(now.drag, Number(now.drag.dataset.value), now.gesture);
  }

  /**
   * @param {any} options
   * @param {number} from
   * @param {number} share
   */
  moved({ low, high, step, curve }, from, share) {
    const value = curve === "ratio" ? from * (high / low) ** share : from + share * (high - low);
    const clamped = Math.min(high, Math.max(low, value));
    return Number((Math.round(clamped / step) * step).toFixed(6));
  }

  /**
   * Provisional: the number and its thread; words come with the server's drawing.
   * @param {any} drag
   * @param {any} value
   */
  show(drag, value) {
    const { low, high, curve, scale } = this.facts(drag);
    drag.dataset.value = value;
    const share = curve === "ratio" ? Math.log(value / low) / Math.log(high / low) : (value - low) / (high - low);
    drag.querySelector(".thread .set")?.setAttribute("d", `M0 2h${(100 * share).toFixed(1)}`);
    const field = drag.querySelector("input");
    field.value = shown(value, scale);
    field.setAttribute("aria-valuenow", value);
  }

  up() {
    const now = this.now;
    this.now = null;
    if (!now) return;
    if (now.moved) this.set(now.drag, Number(now.drag.dataset.value), now.gesture);
    else this.type(now.field, now.facts);
  }

  // Escape: the value goes back to where the hand took it.
  letGo() {
    const { now } = this;
    this.now = null;
    if (!now) return false;
    if (now.moved) {
      this.show(now.drag, now.from);
      this.set(now.drag, now.facts.value, now.gesture);
    }
    return true;
  }

  /**
   * @param {any} field
   * @param {any} options
   */
  type(field, { value, blank, scale }) {
    field.readOnly = false;
    field.classList.add("typing");
    field.value = value === null ? blank : shown(value, scale);
    field.focus();
    field.select();
  }

  /** @param {PageEvent} event */
  key(event) {
    const drag = event.target.closest?.(this.drags);
    if (!drag) return;
    const field = drag.querySelector("input");
    const facts = this.facts(drag);
    const typing = field.classList.contains("typing");
    if (event.key === "Enter") {
      event.preventDefault();
      event.stopPropagation();
      if (typing) this.typed(drag, field);
      else this.type(field, facts);
    } else if (event.key === "Escape" && typing) {
      this.rest(field);
      field.value = field.defaultValue;
    } else if (!typing && ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown"].includes(event.key)) {
      event.preventDefault();
      event.stopPropagation();
      const up = event.key === "ArrowRight" || event.key === "ArrowUp" ? 1 : -1;
      const share = facts.curve === "ratio" ? 0.01 : Math.max(0.01, facts.step / (facts.high - facts.low));
      this.keyGesture ??= `keys-${Date.now()}`;
      this.show(drag, this.moved(facts, facts.value ?? facts.high, up * share * (event.shiftKey ? 5 : 1)));
      this.set(drag, Number(drag.dataset.value), this.keyGesture);
    } else if (!typing && /^[-0-9.,]$/.test(event.key)) {
      field.readOnly = false;
      field.classList.add("typing");
      field.select();
    }
  }

  /** @param {any} field */
  rest(field) {
    field.classList.remove("typing");
    field.readOnly = true;
  }

  /**
   * @param {any} drag
   * @param {any} field
   */
  typed(drag, field) {
    const facts = this.facts(drag);
    const text = field.value.trim().replace(",", ".").replace("−", "-");
    this.rest(field);
    if (facts.blank && (text === "" || text === facts.blank)) {
      this.set(drag, null, null);
      return;
    }
    const value = read(text, drag.dataset.field) / facts.scale;
    if (!Number.isFinite(value) || value < facts.low || value > facts.high) {
      showNote(`'${field.value}' does not fit here: type a number from ${facts.low * facts.scale} to ${facts.high * facts.scale}.`, { near: field, wrong: true });
      field.value = field.defaultValue;
      return;
    }
    this.show(drag, value);
    this.set(drag, value, null);
  }

  /** @param {PageEvent} event */
  left(event) {
    /** @type {any} */
    this.keyGesture = null;
    const field = event.target;
    if (field.matches?.(".drag input.typing") && field.closest(this.drags)) {
      if (field.value !== field.defaultValue && field.isConnected) this.typed(field.closest(".drag"), field);
      this.rest(field);
    }
  }
}

/**
 * @param {any} value
 * @param {number} scale
 */
function shown(value, scale) {
  return Number((value * scale).toPrecision(5)).toString();
}

/**
 * A number; for the pitch also semitones and cents, as in "-3 st" or "2 st 50 ct".
 * @param {string} text
 * @param {string} field
 */
function read(text, field) {
  const semitones = /^([-+]?[\d.]+)\s*st(?:\s*([\d.]+)\s*ct)?$/.exec(text);
  if (field !== "tune_cents" || !semitones) return parseFloat(text);
  const whole = Number(semitones[1]);
  return 100 * whole + Math.sign(whole || 1) * Number(semitones[2] || 0);
}
