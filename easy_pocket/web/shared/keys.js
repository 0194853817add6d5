// Keys: tables of what each does, and whose they are.
//
// After a press on a control that is not being typed into the keys belong to the screen's work again: rails, sounds,
// cards, cells, waveform. What is reached by Tab keeps them, and so does a field until Enter or Escape.

import { hideNote } from "./notes.js";

/**
 * One line of a key table.
 * @typedef {object} KeyRow
 * @property {string} keys names as `nameOf` gives them, with spaces between; "1-9" stands for nine of them
 * @property {string} [shows] how the list of shortcuts writes them; without it as they are
 * @property {string} [words] what they do, for the list of shortcuts; without it they are not listed
 * @property {() => boolean} [when] where they hold; without it everywhere on the screen
 * @property {(event: PageEvent) => unknown} run what they do; false: nothing, look further
 */

const TYPED = 'input:not([type="range"], [type="checkbox"], [type="radio"], [type="file"]), textarea';

/**
 * "g", "G", "Shift+ArrowUp", "Ctrl+c"; a letter says itself whether Shift is held.
 * @param {any} event
 */
export function nameOf(event) {
  if (event.altKey) return "";
  const key = event.key === " " ? "Space" : event.key;
  if (event.ctrlKey || event.metaKey) return `Ctrl+${event.shiftKey ? "Shift+" : ""}${key.toLowerCase()}`;
  return event.shiftKey && key.length > 1 ? `Shift+${key}` : key;
}

const LETTERS = "easy-pocket-letters"; // kept per browser: "off" where keys of one letter do nothing

export const lettersAreOn = () => localStorage.getItem(LETTERS) !== "off";

/** @param {boolean} on */
export const setLetters = (on) => localStorage.setItem(LETTERS, on ? "on" : "off");

/** @param {any} row */
function namesIn(row) {
  return row.keys.split(" ").flatMap((/** @type {string} */ name) => {
    const span = /^(\d)-(\d)$/.exec(name);
    return span ? Array.from({ length: Number(span[2]) - Number(span[1]) + 1 }, (_, index) => `${Number(span[1]) + index}`) : [name];
  });
}

/**
 * Do what the first row that holds says; whether there was one.
 * @param {KeyRow[]} rows
 * @param {PageEvent} event
 */
export function press(rows, event) {
  const name = nameOf(event);
  for (const row of rows) {
    if (name && namesIn(row).includes(name) && (!row.when || row.when()) && row.run(event) !== false) return true;
  }
  return false;
}

/**
 * The list of shortcuts: one heading for each table.
 * @param {Piece} box
 * @param {any} tables
 */
export function listKeys(box, tables) {
  const made = (/** @type {string} */ tag, /** @type {string} */ text) => Object.assign(document.createElement(tag), { textContent: text });
  const parts = tables.map((/** @type {any} */ [title, rows]) => {
    const listed = rows.filter((/** @type {any} */ row) => row.words);
    if (!listed.length) return [];
    const list = document.createElement("dl");
    list.append(...listed.flatMap((/** @type {any} */ row) => [made("dt", row.shows ?? row.keys), made("dd", row.words)]));
    const part = document.createElement("section");
    part.append(made("h3", title), list);
    return [part];
  });
  box.replaceChildren(...parts.flat());
}

export class Keys {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    this.page = page;
    this.byPointer = false; // what happens now was begun by a pointer
    this.byTab = false; // what has the focus was reached by keys
    document.addEventListener("pointerdown", () => (this.byPointer = true), true);
    document.addEventListener("focusin", () => (this.byTab = !this.byPointer));
    document.addEventListener("keydown", (event) => this.first(event), true);
    document.addEventListener("keydown", (event) => this.down(event));
    document.addEventListener("click", (event) => this.byPointer && event.detail > 0 && this.later(event.target));
    document.addEventListener("change", (event) => this.byPointer && this.later(event.target));
  }

  get work() {
    return this.page.current.work;
  }

  // To the screen's work, when nothing else has them.
  give() {
    const focused = document.activeElement;
    // What was in a menu that closed has the focus until the page is drawn, and nobody after it.
    if (!focused || focused === document.body || focused.id === "screen" || focused.closest("#nav") || !focused.checkVisibility()) this.work?.focus({ preventScroll: true });
  }

  /** @param {Piece} pressed */
  later(pressed) {
    setTimeout(() => {
      const focused = /** @type {Piece} */ (document.activeElement);
      // Something else was given them on purpose: a menu that opened, a field to be typed into.
      const theirs = focused && focused !== document.body && focused !== pressed && !focused.contains(pressed) && !pressed.contains?.(focused);
      if (theirs || focused?.matches?.(TYPED) || focused?.matches?.("[tabindex='0']:not(button, a, select, input, summary)")) return;
      if (focused?.matches?.("select") && focused === pressed && !this.changed) return; // its list is open
      this.work?.focus({ preventScroll: true });
    });
    this.changed = pressed.matches?.("select");
    if (this.changed) setTimeout(() => (this.changed = false), 1);
  }

  /**
   * Before anything else: Escape lets go, Enter and Escape end typing.
   * @param {PageEvent} event
   */
  first(event) {
    if (!event.isTrusted) return; // from closeMenus
    this.byPointer = false;
    if (event.key === "Escape") this.escape(event);
    const field = event.target;
    const ends = event.key === "Enter" || event.key === "Escape";
    if (!ends || !field.matches?.(TYPED) || field.matches("textarea") || field.form) return;
    setTimeout(() => {
      if (document.activeElement === field) field.blur();
      this.give();
    });
  }

  /**
   * A gesture that is going on first, then what is open; the rows of the tables come after.
   * @param {PageEvent} event
   */
  escape(event) {
    if (this.page.current.letGo()) {
      event.stopPropagation();
      return;
    }
    hideNote();
    if (this.closeMenus() || this.page.closeOpened()) {
      event.stopPropagation();
      setTimeout(() => this.give());
    }
  }

  /** @param {PageEvent} event */
  down(event) {
    if (!event.isTrusted) return;
    const typing = isTyping(event.target);
    const { page } = this;
    const opened = page.opened; // what is open over the screen has the keys before it
    const rows = typing ? [] : opened ? [...opened.keys, ...page.keys] : [...page.current.keys, ...page.keys];
    const letter = event.key.length === 1 && event.key !== " " && !event.ctrlKey && !event.metaKey;
    if (letter && !opened && !lettersAreOn()) return;
    if (press(rows, event)) event.preventDefault();
  }

  // Menus listen to Escape inside them; the keys may be elsewhere.
  closeMenus() {
    const open = [...document.querySelectorAll(':is([x-data="popover"], [x-data="renaming"]) [aria-expanded="true"]')];
    for (const button of open) button.closest("[x-data]")?.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape" }));
    return open.length > 0;
  }
}

/**
 * Whether a key is text for this element.
 * @param {Piece} element
 */
export function isTyping(element) {
  if (element.matches?.(".drag input")) return element.classList.contains("typing");
  return Boolean(element.matches?.(`${TYPED}, select`));
}

/**
 * Space presses what was reached by Tab; everywhere else it plays. (A button that was just pressed by a pointer counts as
 * one in focus as soon as a key goes down, when the focus has not been given back yet.)
 * @param {Piece} element
 * @param {any} byTab
 */
export function isPressedBySpace(element, byTab) {
  if (element.closest?.("[data-roving='own']")) return false;
  if (element.matches?.('input[type="checkbox"], input[type="radio"], [role="switch"]')) return true;
  return byTab && Boolean(element.matches?.("button:focus-visible, a:focus-visible, summary:focus-visible"));
}
