// What the keys do on the plan.

export class SongKeys {
  /** @param {any} screen the Song screen */
  constructor(screen) {
    this.screen = screen;
  }

  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get walking() {
    const { plan } = this.screen.page;
    /** @type {Record<string, any>} */
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    return [
      { keys: Object.keys(by).join(" "), shows: "arrows", words: "from cell to cell", run: (/** @type {PageEvent} */ event) => this.step(by[event.key], false) },
      { keys: Object.keys(by).map((name) => `Shift+${name}`).join(" "), shows: "Shift ← →", words: "copy the cell along, move the section", run: (/** @type {PageEvent} */ event) => this.step(by[event.key], true) },
      { keys: "b", words: "play from here", run: () => plan.playBar(this.screen.section(this.screen.chosen.section)?.first_bar ?? 1) },
      { keys: "o", words: "play it round", run: () => plan.playSection(this.screen.chosen.section) },
      { keys: "j", words: "go there at the next bar (Shift: at its end)", run: () => plan.jump(this.screen.chosen.section, "bar") },
      { keys: "J", run: () => plan.jump(this.screen.chosen.section, "end") },
    ];
  }

  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get ofCells() {
    const push = (/** @type {any} */ edit) => this.screen.push({ part_id: this.screen.chosen.part, ...edit });
    const flip = (/** @type {string} */ field) => push({ kind: "part_set", field, value: !this.screen.part(this.screen.chosen.part)[field] });
    const cell = (/** @type {any} */ pattern) => push({ kind: "cell_set", section_ids: [this.screen.chosen.section], pattern });
    const nth = (/** @type {PageEvent} */ event) => this.screen.part(this.screen.chosen.part).patterns[Number(event.key) - 1];
    return [
      { keys: "1-9", shows: "1 – 9, 0", words: "the cell's pattern, a rest", run: (/** @type {PageEvent} */ event) => nth(event) && cell(nth(event)[0]) },
      { keys: "0 Delete Backspace", run: () => cell(null) },
      { keys: "Enter", words: "the cell's menu; a section's name", run: () => this.screen.menu.open(this.screen.elementOf(this.screen.chosen), this.screen.chosen.section, this.screen.chosen.part) },
      { keys: "m", shows: "m, s", words: "mute, solo the part", run: () => flip("mute") },
      { keys: "s", run: () => flip("solo") },
      { keys: "e", words: "to the Bench", run: () => this.screen.toBench() },
    ].map((row) => ({ ...row, when: () => this.screen.chosen.kind === "cell" }));
  }

  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get ofSections() {
    const by = (/** @type {string} */ field, /** @type {any} */ more) => {
      const section = this.screen.section(this.screen.chosen.section);
      const value = this.soonToBe(section, field) + more; // presses in quick succession add up
      if (value >= 1) this.screen.push({ kind: "section_set", section_id: section.id, field, value });
    };
    return [
      { keys: "+", shows: "+ − * /", words: "bars, repeats of the section", run: () => by("bars", 1) },
      { keys: "- −", run: () => by("bars", -1) },
      { keys: "*", run: () => by("repeats", 1) },
      { keys: "/", run: () => by("repeats", -1) },
      { keys: "Enter", run: () => this.screen.strip.rename() },
      { keys: "d", words: "a copy of the section", run: () => this.screen.push({ kind: "section_add", after_id: this.screen.chosen.section, how: "copy" }) },
      { keys: "Delete", words: "take the section away", run: () => this.screen.push({ kind: "section_take", section_id: this.screen.chosen.section }) },
    ].map((row) => ({ ...row, when: () => this.screen.chosen.kind === "section" }));
  }

  /**
   * @param {any} options
   * @param {any} shifted
   */
  step([across, down], shifted) {
    const { chosen } = this.screen;
    const at = Math.max(0, this.screen.sections.findIndex((/** @type {any} */ one) => one.id === chosen.section));
    const rows = ["section", ...this.screen.data.parts.map((/** @type {any} */ one) => one.id), "joins"];
    const row = chosen.kind === "cell" ? rows.indexOf(chosen.part) : chosen.kind === "joins" ? rows.length - 1 : chosen.kind === "part" ? rows.indexOf(chosen.part) : 0;
    const next = this.screen.sections[Math.max(0, Math.min(this.screen.sections.length - 1, at + across))];
    if (shifted && across && chosen.kind === "section") {
      this.screen.push({ kind: "section_move", section_id: chosen.section, to: at + across });
      return;
    }
    if (shifted && across && chosen.kind === "cell" && next.id !== chosen.section) {
      this.screen.push({ kind: "cell_copy", part_id: chosen.part, from_id: chosen.section, to_ids: [next.id] });
    }
    const to = rows[Math.max(0, Math.min(rows.length - 1, row + down))];
    if (to === "section") this.screen.choose({ kind: "section", section: next.id });
    else if (to === "joins") this.screen.choose({ kind: "joins", section: next.id });
    else this.screen.choose({ kind: "cell", section: next.id, part: to });
  }

  /**
   * A field as it will be when the edits that wait are made.
   * @param {any} section
   * @param {string} field
   */
  soonToBe(section, field) {
    const waiting = this.screen.page.edits.queue.findLast((/** @type {any} */ { edit }) => edit?.kind === "section_set" && edit.section_id === section.id && edit.field === field);
    return waiting?.edit.value ?? section[field];
  }
}
