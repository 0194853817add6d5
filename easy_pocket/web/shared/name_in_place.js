// A button whose words are a name: for a moment it is a field, where it stands. Enter or leaving keeps, Escape does not.

import { element } from "./dom.js";

/**
 * @param {Piece} button
 * @param {{ label: string, most: number, className?: string }} how most: letters
 * @param {(name: string) => void} keep what to do with another name
 */
export function nameInPlace(button, { label, most, className = "" }, keep) {
  const field = Object.assign(element("input", `input is-small ${className}`), { maxLength: most, value: button.textContent });
  field.setAttribute("aria-label", label);
  button.replaceWith(field);
  field.select();
  let done = false;
  const end = (/** @type {boolean} */ kept) => {
    if (done) return;
    done = true;
    const name = field.value.trim();
    field.replaceWith(button);
    if (kept && name && name !== button.textContent) keep(name);
  };
  field.addEventListener("keydown", (event) => ["Enter", "Escape"].includes(event.key) && end(event.key === "Enter"));
  field.addEventListener("blur", () => end(true));
}
