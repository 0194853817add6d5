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

/**
 * The whole of a name that is cut off where it stands, or "".
 * @param {Piece} control
 */
export function wholeName(control) {
  const pieces = /** @type {Piece[]} */ ([control, ...control.querySelectorAll("*")]);
  const cut = pieces.find((piece) => piece.scrollWidth > piece.clientWidth + 1 && piece.clientWidth > 0 && getComputedStyle(piece).textOverflow === "ellipsis");
  return (cut?.value || cut?.textContent || "").trim().replace(/\s+/g, " ");
}

export class Tip {
  constructor() {
    /** @type {any} */
    this.timer = null;
    /** @type {HTMLElement | null} */
    this.of = null;
    document.addEventListener("pointerover", (event) => this.point(event));
    this.byKeys = false; // the focus was moved by keys, not given on arriving
    document.addEventListener("pointerdown", () => this.pressed(false), true);
    document.addEventListener("keydown", ({ key }) => this.pressed(key === "Tab" || key.startsWith("Arrow")), true);
    document.addEventListener("focusin", ({ target }) => (this.byKeys && target.matches?.(CONTROLS) && target.matches(":focus-visible") ? this.soon(target) : this.hide()));
    document.addEventListener("focusout", () => this.hide());
    document.addEventListener("scroll", (event) => event.target !== this.of && this.hide(), true); // a long text scrolls in its own field
  }

  get box() {
    return byId("tip");
  }

  /** @param {boolean} moves whether a key moves the focus */
  pressed(moves) {
    this.byKeys = moves;
    if (!moves) this.hide();
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
    const piece = /** @type {any} */ (control);
    const words = [wholeName(piece), tipOf(piece)].filter(Boolean).join(" · ");
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
