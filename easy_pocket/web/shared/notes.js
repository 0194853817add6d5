// Words beside the thing they are about, the bottom line, and what a screen reader says.

import { byId } from "./dom.js";

const note = byId("note");
/** @type {any} */
let timer = null;

/**
 * actions: [words, what pressing them does]; the note goes then. stays: until something else is said.
 * @param {string} words
 * @param {any} [options]
 */
export function showNote(words, { near = null, wrong = false, actions = [], stays = false } = {}) {
  clearTimeout(timer);
  note.replaceChildren(document.createTextNode(words));
  note.classList.toggle("wrong", wrong);
  const row = document.createElement("span"); // the buttons stay side by side
  for (const [name, run] of actions) {
    const button = document.createElement("button");
    button.type = "button";
    button.textContent = name;
    button.addEventListener("click", () => {
      for (const one of row.querySelectorAll("button")) one.disabled = true;
      button.blur();
      clearTimeout(timer);
      timer = setTimeout(hideNote, 350); // the second press of a double click falls on the note, not on what lies under it
      run();
    });
    row.append(button);
  }
  if (actions.length) note.append(" ", row);
  note.hidden = false;
  note.style.left = "8px"; // measured where nothing squeezes it
  const place = (near && near.isConnected ? near : byId("ledger")).getBoundingClientRect();
  const box = note.getBoundingClientRect();
  const below = place.bottom + 8 + box.height < window.innerHeight;
  note.style.left = `${Math.max(8, Math.min(place.left, window.innerWidth - box.width - 8))}px`;
  note.style.top = `${below ? place.bottom + 8 : Math.max(8, place.top - box.height - 8)}px`;
  timer = stays ? null : setTimeout(hideNote, actions.length ? 20000 : 7000);
}

/**
 * Other words in the note that is shown; its buttons stay, also under a finger.
 * @param {string} words
 */
export function retellNote(words) {
  if (note.firstChild) note.firstChild.textContent = words;
}

export function hideNote() {
  note.hidden = true;
}

/** @param {string | undefined} text */
export function showLedger(text) {
  const line = byId("ledger-line");
  const [name, sum, result, velocity] = (text ?? "").split("|");
  line.replaceChildren();
  const add = (/** @type {string} */ tag, /** @type {string} */ words, className = "") => {
    const piece = document.createElement(tag);
    piece.textContent = words;
    piece.className = className;
    line.append(piece);
  };
  add("b", name);
  if (sum !== undefined) add("span", sum, "sum");
  if (result !== undefined) add("b", result);
  if (velocity !== undefined) add("span", ` · ${velocity}`, "sum");
}

/** @param {string} words */
export function speak(words) {
  byId("spoken").textContent = words;
}
