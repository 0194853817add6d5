// What a control does, beside it: under a resting pointer, and when it has the focus by keys. Its title says so, or the
// tables of tips (tips.js, here and with each screen), or else its own label, where that is more than a name.

import { byId } from "./dom.js";
import { TIPS } from "./tips.js";

const CONTROLS = "button, input, select, textarea, summary, a[href], label, [role='tab'], [title], [data-title]";
const LABEL_WORDS = 3;
const tables = [TIPS];

/**
 * What the controls of a screen do.
 * @param {Record<string, string>} table words by selector; the first that fits is told
 */
export function addTips(table) {
  tables.unshift(table);
}

/**
 * What is told of a control, or "".
 * @param {Piece} control
 */
export function tipOf(control) {
  const titled = control.closest("[title]:not([title='']), [data-title]");
  if (titled) return titled.dataset.title || titled.title;
  for (const table of tables) {
    const found = Object.keys(table).find((selector) => control.matches(selector));
    if (found) return table[found];
  }
  const label = control.getAttribute("aria-label") ?? "";
  return label.split(" ").length >= LABEL_WORDS ? label : "";
}

const REST_MS = 550;

export class Tip {
  constructor() {
    /** @type {any} */
    this.timer = null;
    /** @type {HTMLElement | null} */
    this.of = null;
    document.addEventListener("pointerover", (event) => this.point(event));
    document.addEventListener("pointerdown", () => this.hide(), true);
    document.addEventListener("keydown", (event) => event.key !== "Tab" && !event.key.startsWith("Arrow") && this.hide(), true);
    document.addEventListener("focusin", (event) => (event.target.matches?.(":focus-visible") ? this.soon(event.target) : this.hide()));
    document.addEventListener("focusout", () => this.hide());
    document.addEventListener("scroll", () => this.hide(), true);
  }

  get box() {
    return byId("tip");
  }

  /** @param {PageEvent} event */
  point(event) {
    const found = event.target.closest?.(CONTROLS);
    const control = found?.matches("label:not([title], [data-title])") ? /** @type {any} */ (found).control : found;
    if (control === this.of) return;
    this.hide();
    if (control && event.pointerType !== "touch") this.soon(control);
  }

  /** @param {HTMLElement} control */
  soon(control) {
    clearTimeout(this.timer);
    this.of = control;
    // Told here, not by the browser as well.
    if (control.title) {
      control.dataset.title = control.title;
      control.removeAttribute("title");
    }
    this.timer = setTimeout(() => this.show(control), REST_MS);
  }

  /** @param {HTMLElement} control */
  show(control) {
    const words = tipOf(/** @type {any} */ (control));
    if (!words || !control.isConnected) return;
    const { box } = this;
    box.textContent = words;
    box.hidden = false;
    const place = control.getBoundingClientRect();
    const own = box.getBoundingClientRect();
    const below = place.bottom + 6 + own.height < window.innerHeight;
    box.style.left = `${Math.max(6, Math.min(place.left, window.innerWidth - own.width - 6))}px`;
    box.style.top = `${below ? place.bottom + 6 : place.top - own.height - 6}px`;
  }

  hide() {
    clearTimeout(this.timer);
    if (this.of?.dataset.title !== undefined && !this.of.title) {
      this.of.title = this.of.dataset.title;
      delete this.of.dataset.title;
    }
    this.of = null;
    if (this.box) this.box.hidden = true;
  }
}
