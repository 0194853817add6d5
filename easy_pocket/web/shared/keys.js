// Whose the keys are. After a press on a control that is not being typed into they belong to the screen's work again:
// rails, sounds, cards, cells, waveform. What is reached by Tab keeps them, and so does a field until Enter or Escape.

import { hideNote } from "./notes.js";

const WORK = { bench: "#rail-rows", kit: "#sounds", ideas: "#idea-grid", loops: "#wave", grooves: "#groove-list" };
const TYPED = 'input:not([type="range"], [type="checkbox"], [type="radio"], [type="file"]), textarea';

export class Keys {
  constructor(page) {
    this.page = page;
    this.byPointer = false; // what happens now was begun by a pointer
    document.addEventListener("pointerdown", () => (this.byPointer = true), true);
    document.addEventListener("keydown", (event) => this.down(event), true);
    document.addEventListener("click", (event) => this.byPointer && event.detail > 0 && this.later(event.target));
    document.addEventListener("change", (event) => this.byPointer && this.later(event.target));
  }

  get work() {
    const { screen, arrangement } = this.page;
    return screen === "song" ? arrangement.work : document.querySelector(WORK[screen] ?? "#none");
  }

  // To the screen's work, when nothing else has them.
  give() {
    const focused = document.activeElement;
    if (!focused || focused === document.body || focused.id === "screen") this.work?.focus({ preventScroll: true });
  }

  later(pressed) {
    setTimeout(() => {
      const focused = document.activeElement;
      // Something else was given them on purpose: a menu that opened, a field to be typed into.
      const theirs = focused && focused !== document.body && focused !== pressed && !focused.contains(pressed) && !pressed.contains?.(focused);
      if (theirs || focused?.matches?.(TYPED) || focused?.matches?.("[tabindex='0']")) return;
      if (focused?.matches?.("select") && focused === pressed && !this.changed) return; // its list is open
      this.work?.focus({ preventScroll: true });
    });
    this.changed = pressed.matches?.("select");
    if (this.changed) setTimeout(() => (this.changed = false), 1);
  }

  down(event) {
    if (!event.isTrusted) return; // from closeMenus
    this.byPointer = false;
    if (event.key === "Escape") {
      this.closeMenus();
      hideNote();
      if (this.page.rails.letGo()) event.stopPropagation();
    }
    const field = event.target;
    const ends = event.key === "Enter" || event.key === "Escape";
    if (!ends || !field.matches?.(TYPED) || field.matches("textarea") || field.form) return;
    setTimeout(() => {
      if (document.activeElement === field) field.blur();
      this.give();
    });
  }

  // Menus listen to Escape inside them; the keys may be elsewhere.
  closeMenus() {
    for (const button of document.querySelectorAll('[x-data] [aria-expanded="true"]')) {
      button.closest("[x-data]").dispatchEvent(new KeyboardEvent("keydown", { key: "Escape" }));
    }
  }
}

// Whether a key is text for this element.
export function isTyping(element) {
  if (element.matches?.(".drag input")) return element.classList.contains("typing");
  return Boolean(element.matches?.(`${TYPED}, select`));
}

// Space presses what was reached by Tab; everywhere else it plays.
export function isPressedBySpace(element) {
  if (element.closest?.("[role='grid']")) return false;
  return Boolean(element.matches?.('input[type="checkbox"], input[type="radio"], [role="switch"], button:focus-visible, a:focus-visible, summary:focus-visible'));
}
