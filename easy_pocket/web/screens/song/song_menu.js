// The patterns a cell can play, beside the cell: numbers choose, Escape leaves.

import { byId } from "../../shared/dom.js";

export class SongMenu {
  /** @type {any} */
  at;
  /** @param {any} screen */
  constructor(screen) {
    this.screen = screen;
  }

  get box() {
    return byId("plan-menu");
  }

  get isOpen() {
    return this.box && !this.box.hidden;
  }

  /**
   * @param {any} cell
   * @param {any} section
   * @param {any} part
   */
  open(cell, section, part) {
    const { patterns } = this.screen.part(part);
    this.at = { section, part };
    this.cell = cell;
    const now = this.screen.cell(section, part);
    const choices = [...patterns.map((/** @type {any} */ [id, name], /** @type {number} */ number) => [id, name, `${number + 1}`]), ...(patterns.length > 1 ? [[0, "its order", ""]] : []), [null, "rest", "0"]];
    this.box.replaceChildren(...choices.map(([pattern, name, key]) => this.choice(pattern, name, key, now)), this.more("new, a copy", "copy"), this.more("on the Bench", "bench"));
    this.box.hidden = false;
    const place = cell.getBoundingClientRect();
    const size = this.box.getBoundingClientRect();
    const screen = byId("screen").getBoundingClientRect();
    this.box.style.left = `${Math.min(place.left, window.innerWidth - size.width - 8) - screen.left}px`;
    this.box.style.top = `${Math.min(place.bottom + 2, window.innerHeight - size.height - 32) - screen.top}px`;
    this.box.querySelector("button.on, button")?.focus();
  }

  /**
   * @param {any} pattern
   * @param {string} name
   * @param {string} key
   * @param {any} now
   */
  choice(pattern, name, key, now) {
    const button = document.createElement("button");
    button.type = "button";
    button.setAttribute("role", "menuitem");
    button.textContent = name;
    const small = document.createElement("small");
    small.textContent = key;
    button.append(small);
    button.classList.toggle("on", now.rest ? pattern === null : now.pattern === pattern);
    button.addEventListener("click", () => this.take(pattern));
    return button;
  }

  /**
   * @param {string} words
   * @param {any} what
   */
  more(words, what) {
    const button = document.createElement("button");
    button.type = "button";
    button.setAttribute("role", "menuitem");
    button.className = "quiet";
    button.textContent = words;
    button.addEventListener("click", () => {
      this.close();
      if (what === "bench") this.screen.toBench();
      else this.screen.strip.copyPattern();
    });
    return button;
  }

  /** @param {any} pattern */
  take(pattern) {
    const { section, part } = this.at;
    this.close();
    this.screen.push({ kind: "cell_set", section_ids: [section], part_id: part, pattern }, this.cell);
    this.screen.elementOf({ kind: "cell", section, part })?.focus();
  }

  close() {
    if (this.isOpen) this.box.hidden = true;
  }

  get keys() {
    const when = () => Boolean(this.isOpen);
    const step = (/** @type {number} */ by) => {
      const buttons = [...this.box.querySelectorAll("button")];
      const at = buttons.indexOf(/** @type {Piece} */ (document.activeElement));
      buttons[(at + by + buttons.length) % buttons.length].focus();
    };
    const nth = (/** @type {PageEvent} */ event) => this.screen.part(this.at.part).patterns[Number(event.key) - 1];
    return [
      { keys: "Escape", when, run: () => this.leave() },
      { keys: "ArrowDown", when, run: () => step(1) },
      { keys: "ArrowUp", when, run: () => step(-1) },
      { keys: "1-9", when, run: (/** @type {PageEvent} */ event) => nth(event) && this.take(nth(event)[0]) },
      { keys: "0", when, run: () => this.take(null) },
    ];
  }

  leave() {
    this.close();
    this.cell.focus();
  }
}
