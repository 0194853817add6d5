// The list of keys: made from the tables they go by, this screen's first. It has the keys while it is open, and gives them
// back to what had them.

import { byId } from "./dom.js";
import { lettersAreOn, listKeys, setLetters } from "./keys.js";

export class KeyList {
  /** @param {() => [string, import("./keys.js").KeyRow[]][]} tables titles and rows, in the order they are listed */
  constructor(tables) {
    this.tables = tables;
    /** @type {any} */
    this.before = null;
    document.addEventListener("click", (event) => event.target.closest?.("[data-help]") && this.toggle());
    document.addEventListener("change", (event) => event.target.id === "letter-keys" && setLetters(event.target.checked));
  }

  get box() {
    return byId("shortcuts");
  }

  get open() {
    return !this.box.hidden;
  }

  toggle() {
    if (this.open) this.close();
    else this.show();
  }

  show() {
    listKeys(byId("shortcut-list"), this.tables());
    byId("letter-keys").checked = lettersAreOn();
    this.before = document.activeElement;
    this.box.hidden = false;
    this.box.scrollTop = 0;
    this.box.focus({ preventScroll: true });
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
