// Where to, by one more key: a screen by its number, a place on this screen by its letter.

import { byId, focusWhenShown } from "./dom.js";
import { Panel } from "./panel.js";

/**
 * A place on a screen that can be gone to.
 * @typedef {object} Place
 * @property {string} key the letter
 * @property {string} words what is there
 * @property {() => unknown} go brings it in sight and gives it the keys; what goes by the screen's work says so itself
 */

export class GoTo extends Panel {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    super("go-to");
    this.page = page;
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("pointerdown", (event) => this.open && !event.target.closest?.("#go-to, [data-go-to]") && this.close());
  }

  /** @returns {Place[]} */
  get places() {
    const links = [...document.querySelectorAll("#nav [data-screen-link]")];
    const screens = links.map((link, index) => ({ key: `${index + 1}`, words: link.textContent.trim(), go: () => link.click() }));
    const { places } = this.page.current;
    const shared = this.everywhere.filter(({ key, there }) => there() && !places.some((/** @type {Place} */ one) => one.key === key));
    return [...screens, ...places, ...shared];
  }

  get everywhere() {
    const beside = () => /** @type {Piece} */ (document.querySelector("#screen aside :is(button, input, select, [tabindex='0']):not([hidden], :disabled)"));
    const exports = () => /** @type {Piece} */ (document.querySelector("[aria-controls='export-menu']"));
    const openExports = () => {
      exports().click();
      focusWhenShown(() => document.querySelector("#export-menu :is(a, button, input, select)"));
    };
    const tempo = () => document.querySelector("#tempo");
    return [
      { key: "s", words: "what stands beside", there: () => Boolean(beside()), go: () => beside()?.focus() },
      { key: "b", words: "the sections", there: () => Boolean(document.querySelector("[data-section-go]")), go: () => /** @type {Piece} */ (document.querySelector("[data-section-go]")).focus() },
      { key: "o", words: "the tempo", there: () => Boolean(tempo()), go: () => tempo()?.focus() ?? tempo()?.select() },
      { key: "e", words: "Export", there: () => Boolean(exports()), go: openExports },
    ];
  }

  show() {
    const list = byId("go-to-list");
    list.replaceChildren(
      ...this.places.map(({ key, words }) => {
        const button = document.createElement("button");
        button.type = "button";
        button.className = "plain go-to-line";
        button.dataset.goToPlace = key;
        button.append(Object.assign(document.createElement("kbd"), { textContent: key }), words);
        return button;
      }),
    );
    super.show();
    /** @type {Piece} */ (list.querySelector("button")).focus({ preventScroll: true });
  }

  /** @param {string} key */
  go(key) {
    const place = this.places.find((one) => one.key === key);
    if (!place) return false;
    this.close();
    place.go();
    return true;
  }

  /** @param {number} by */
  step(by) {
    const lines = /** @type {HTMLElement[]} */ ([...this.box.querySelectorAll("[data-go-to-place]")]);
    const at = lines.indexOf(/** @type {HTMLElement} */ (document.activeElement));
    lines[(at + by + lines.length) % lines.length].focus();
  }

  /** @param {PageEvent} event */
  click(event) {
    if (event.target.closest?.("[data-go-to]")) this.toggle();
    const line = event.target.closest?.("[data-go-to-place]");
    if (line) this.go(line.dataset.goToPlace);
  }

  /** @returns {import("./keys.js").KeyRow[]} while it has the keys */
  get keys() {
    return [
      { keys: "ArrowDown ArrowRight", run: () => this.step(1) ?? true },
      { keys: "ArrowUp ArrowLeft", run: () => this.step(-1) ?? true },
      { keys: this.places.map(({ key }) => key).join(" "), run: (event) => this.go(event.key) },
    ];
  }
}
