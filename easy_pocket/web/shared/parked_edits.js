// Edits that were not made, beside the thing they were meant for, with the reason: try again, or drop it. How many there
// are stands beside what is saved; pressing it shows them all.

import { byId } from "./dom.js";
import { hideNote, showNote } from "./notes.js";

export class Parked {
  /** @param {any} edits */
  constructor(edits) {
    this.edits = edits;
    edits.addEventListener("parked", (/** @type {any} */ { detail }) => this.show(detail));
    edits.addEventListener("dropped", () => this.count());
    byId("not-made").addEventListener("click", () => this.list());
    byId("parked-list").addEventListener("click", (event) => this.click(event));
    document.addEventListener("keydown", (event) => event.key === "Escape" && (byId("parked-list").hidden = true));
    this.count();
  }

  /** @param {any} parked */
  show(parked) {
    this.count();
    showNote(`Not made, because: ${parked.words}`, {
      near: parked.near?.isConnected ? parked.near : byId("saved"),
      wrong: true,
      actions: [
        ["try again", () => this.edits.tryAgain(parked)],
        ["drop it", () => this.edits.drop(parked)],
      ],
    });
  }

  count() {
    const { length } = this.edits.parked;
    byId("not-made").hidden = !length;
    byId("not-made").textContent = `${length} not made`;
    if (!length) byId("parked-list").hidden = true;
    else if (!byId("parked-list").hidden) this.draw();
  }

  list() {
    hideNote();
    byId("parked-list").hidden = !byId("parked-list").hidden;
    if (!byId("parked-list").hidden) this.draw();
  }

  draw() {
    const rows = this.edits.parked.map((/** @type {any} */ parked, /** @type {number} */ number) => {
      const row = document.createElement("li");
      const words = Object.assign(document.createElement("span"), { textContent: parked.words });
      row.append(words, button("try again", "again", number), button("drop it", "drop", number));
      return row;
    });
    byId("parked-list").replaceChildren(...rows);
  }

  /** @param {any} event */
  click(event) {
    const pressed = event.target.closest("button");
    const parked = this.edits.parked[Number(pressed?.dataset.number)];
    if (!parked) return;
    if (pressed.dataset.does === "again") this.edits.tryAgain(parked);
    else this.edits.drop(parked);
  }
}

/**
 * @param {string} words
 * @param {any} does
 * @param {number} number
 */
function button(words, does, number) {
  const made = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: words });
  Object.assign(made.dataset, { does, number });
  return made;
}
