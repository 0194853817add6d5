// Print: what is heard of the chosen place becomes a loop under the song, a part of slices, or a sound.

import { showNote } from "../../shared/notes.js";

/** @type {Record<string, string>} */
const DONE = {
  loop: "Printed: it plays under the song now, here and on the Loops screen.",
  slices: "Printed: a part of slices plays it again; each slice is on a rail of its own.",
  sound: "Printed: it is in the library now; choose it on the Kit screen.",
};

export class Print {
  /** @param {import("./stage.js").default} stage */
  constructor(stage) {
    this.stage = stage;
    stage.on("submit", (event) => event.target.matches?.("[data-print]") && this.submit(event));
    stage.on("change", (event) => event.target.closest?.("[data-print]") && this.follow(event.target));
  }

  // The bars there are, and what only a loop has.
  /** @param {Piece} field */
  follow(field) {
    const form = /** @type {any} */ (field.closest("form"));
    form.querySelector("[data-loop-only]").hidden = form.elements.to.value !== "loop";
    if (field.name !== "of") return;
    form.elements.from_bar.value = 1;
    form.elements.to_bar.value = field.selectedOptions[0].dataset.bars;
  }

  /** @param {PageEvent} event */
  async submit(event) {
    event.preventDefault();
    const form = /** @type {any} */ (event.target);
    const { of, from_bar, to_bar, chains, rooms, to, speed, pitch_semitones, mute } = form.elements;
    const near = form.closest(".dropdown").querySelector("button");
    const first = Number(from_bar.value);
    const last = Number(to_bar.value);
    if (!(first >= 1 && last >= first)) {
      showNote(`Bars ${from_bar.value || "?"} to ${to_bar.value || "?"} are none: the last bar is to be the first one or a later one.`, { near: to_bar, wrong: true });
      return;
    }
    const loops = () => [...document.querySelectorAll('.level-name[data-where^="loop:"]')].map((one) => one.dataset.where);
    const before = loops();
    /** @type {Record<string, any>} */
    const edit = { kind: "print", where: form.dataset.place, to: to.value, of: of.value, from_bar: first, bars: last - first + 1, chains: chains.checked, rooms: rooms.checked, mute: mute.checked };
    if (to.value === "loop") Object.assign(edit, { speed: Number(speed.value), pitch_semitones: Number(pitch_semitones.value) });
    near.click();
    const made = await this.stage.edits.pushLong(/** @type {any} */ (edit), { near, doing: "Printing" });
    if (!made) return;
    showNote(DONE[edit.to], { near });
    const come = loops().find((one) => !before.includes(one));
    if (come && this.stage.mounted) this.stage.choose(come);
  }
}
