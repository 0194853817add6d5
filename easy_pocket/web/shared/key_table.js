// Which MIDI note each voice has: a table in the Export menu, fetched when it is opened and after each change.

import { byId } from "./dom.js";
import { showNote } from "./notes.js";

export class KeyTable {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    this.page = page;
    document.addEventListener("toggle", ({ target }) => /** @type {any} */ (target).id === "export-keys" && this.show(), true);
    document.addEventListener("change", (event) => /** @type {any} */ (event.target).dataset?.keyVoice && this.set(event.target));
    document.addEventListener("keydown", (event) => {
      const field = /** @type {any} */ (event.target);
      if (event.key === "Escape" && field.dataset?.keyVoice) field.value = field.defaultValue; // before the menu closes and it is left
    }, true);
    document.addEventListener("click", (event) => {
      const like = /** @type {any} */ (event.target).closest?.("[data-keys-like]")?.dataset.keysLike;
      if (like) this.page.edits.push({ kind: "keys_all", like }, { near: event.target });
    });
    page.edits.addEventListener("state", () => this.show());
  }

  get open() {
    return byId("export-keys")?.hasAttribute("open") ?? false;
  }

  show() {
    if (this.open) window.htmx.ajax("GET", byId("export-keys").dataset.keys, { target: "#key-table", swap: "refresh" });
  }

  /** @param {any} field */
  set(field) {
    const note = field.value === "" ? null : Math.round(Number(field.value));
    if (String(note) === field.defaultValue) return;
    if (note !== null && !(note >= 0 && note <= 127)) {
      showNote(`${field.value} is no MIDI note: 0 to 127 are.`, { near: field, wrong: true });
      field.value = field.defaultValue;
    } else this.page.edits.push({ kind: "key", voice: field.dataset.keyVoice, note }, { near: field });
  }
}
