// What every screen's script is: a class that is mounted when its screen is on the page, and answers for its own keys.

import { selection } from "./selection.js";

/**
 * What came back for an edit.
 * @typedef {object} Answer
 * @property {import("./shapes").State} state what the server says of the song and the screen (song_state.py)
 * @property {any} item the edit that was sent
 * @property {boolean} more whether other edits are still on their way
 */

export class Screen {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    this.page = page;
    this.mounted = false;
  }

  /**
   * The element that has the keys when nothing else has them.
   * @returns {HTMLElement | null}
   */
  get work() {
    return null;
  }

  /**
   * What the keys do here: see keys.js.
   * @returns {import("./keys.js").KeyRow[]}
   */
  get keys() {
    return [];
  }

  /**
   * Places on this screen that can be gone to by one more key: see go_to.js.
   * @returns {import("./go_to.js").Place[]}
   */
  get places() {
    return [];
  }

  /**
   * What they do on every screen.
   * @returns {import("./keys.js").KeyRow[]}
   */
  get everywhere() {
    return [];
  }

  /**
   * Whether a sound is being tried in the beat: what the song plays waits until that ends.
   * @returns {boolean}
   */
  get trial() {
    return false;
  }

  // The screen was drawn: at first, by moving here, or anew.
  mount() {}

  // Another screen takes its place.
  unmount() {}

  /**
   * Numbers for what this screen draws; the fragments are on the page already.
   * @param {Answer} _answer
   */
  apply(_answer) {}

  /**
   * After every answer, whichever screen it was made for.
   * @param {Answer} _answer
   */
  follow(_answer) {}

  /**
   * Whether a fragment stays as it is just now, because a hand is at it.
   * @param {string} _id
   * @param {Piece} _target
   * @param {Answer} _answer
   * @returns {boolean}
   */
  holds(_id, _target, _answer) {
    return false;
  }

  /**
   * What an edit sounds like, to be heard before the answer is drawn: a promise of its sounding, or null.
   * @param {Answer} _answer
   * @returns {Promise<unknown> | null}
   */
  soundOf(_answer) {
    return null;
  }

  /**
   * Where the playing is, in seconds from the beginning of what plays; null: nothing plays.
   * @param {number | null} _position
   */
  needle(_position) {}

  /**
   * Bars of the song that are played round and round, from the first to the last; null: none.
   * @param {[number, number] | null} _bars
   */
  showLoop(_bars) {}

  // Play or stop was pressed, or something else about the playing changed.
  playingChanged() {}

  /**
   * Escape in the middle of a gesture; whether there was one.
   * @returns {boolean}
   */
  letGo() {
    return false;
  }

  /**
   * Escape with something open over this screen; whether there was.
   * @returns {boolean}
   */
  closeOpened() {
    return false;
  }

  /**
   * A section was chosen over the screen; moves: it is another one than before.
   * @param {Piece} _section
   * @param {boolean} moves
   */
  async showSection(_section, moves) {
    if (!moves) return;
    selection.pattern = 0;
    await this.page.redraw();
  }

  /**
   * Listen while the screen is on the page.
   * @param {string} name
   * @param {(event: PageEvent) => unknown} run
   * @param {AddEventListenerOptions} [options]
   */
  on(name, run, options) {
    document.addEventListener(name, (event) => this.mounted && run(event), options);
  }
}
