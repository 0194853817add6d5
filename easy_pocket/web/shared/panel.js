// A panel that opens over the page: it takes the keys when it opens, and gives them back to what had them.

import { byId } from "./dom.js";

export class Panel {
  /** @param {string} id */
  constructor(id) {
    this.id = id;
    /** @type {any} */
    this.before = null;
  }

  get box() {
    return byId(this.id);
  }

  get open() {
    return !this.box.hidden;
  }

  toggle() {
    if (this.open) this.close();
    else this.show();
  }

  show() {
    const had = /** @type {HTMLElement} */ (document.activeElement);
    // The button a pointer opened it by is no place for the keys to come back to.
    this.before = had.matches("button:not(:focus-visible)") ? null : had;
    this.box.hidden = false;
  }

  /** @returns {boolean} whether it was open */
  close() {
    if (!this.open) return false;
    const had = this.box.contains(document.activeElement) || document.activeElement === document.body;
    this.box.hidden = true;
    if (had && this.before?.isConnected) this.before.focus({ preventScroll: true });
    this.before = null;
    return true;
  }
}
