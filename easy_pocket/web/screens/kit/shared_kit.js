// A kit belongs to every song that plays on it. The first change asks once whose it is: this song's, which gets a copy,
// or all songs'. What was changed waits for the answer; Escape lets it go.

import { byId } from "../../shared/dom.js";
import { hideNote, showNote } from "../../shared/notes.js";

const REMEMBERED = "easy-pocket-kits-for-all";

export class SharedKit {
  /**
   * @param {any} edits
   * @param {import("../../shared/page.js").Page} page
   */
  constructor(edits, page) {
    this.edits = edits;
    this.page = page;
    /** @type {any[]} */
    this.held = [];
    document.addEventListener("keydown", (event) => {
      if (event.key === "Escape") this.letGo();
    });
  }

  get facts() {
    const { kitKey, kitName, songs } = document.querySelector(".kit-head").dataset;
    return { key: `${this.edits.songId}:${kitKey}`, name: kitName, songs: Number(songs) };
  }

  /**
   * As Edits.push, for an edit that changes the kit.
   * @param {import("../../shared/shapes").Edit} edit
   * @param {any} [options]
   */
  push(edit, options = {}) {
    const { key, songs } = this.facts;
    if (songs < 2 || remembered().includes(key)) return this.edits.push(edit, options);
    if (options.gesture && this.held.at(-1)?.options.gesture === options.gesture) this.held.pop();
    this.held.push({ edit, options });
    this.askWhose(songs, options.near);
    return Promise.resolve(null);
  }

  /**
   * @param {any} songs
   * @param {Piece} near
   */
  askWhose(songs, near) {
    const actions = [
      ["for this song", () => this.forThisSong()],
      [`for all ${songs}`, () => this.forAll()],
    ];
    showNote(`This kit is in ${songs} songs. Change it`, { near, actions, stays: true });
    const note = byId("note");
    if (this.held.length === 1 && !note.contains(document.activeElement)) note.querySelector("button").focus({ preventScroll: true });
  }

  forThisSong() {
    const { name } = this.facts;
    const song = this.page.song.name;
    this.edits.push({ kind: "kit_new", source: "song", name: `${name} (${song})`.slice(0, 80) });
    this.release();
  }

  forAll() {
    localStorage.setItem(REMEMBERED, JSON.stringify([...remembered(), this.facts.key].slice(-200)));
    this.release();
  }

  release() {
    const held = this.held;
    this.held = [];
    for (const { edit, options } of held) this.edits.push(edit, options);
    this.page.whose.give();
  }

  letGo() {
    if (!this.held.length) return;
    this.held = [];
    hideNote();
    this.page.refresh(); // what was drawn of it goes
  }
}

function remembered() {
  try {
    const found = JSON.parse(localStorage.getItem(REMEMBERED) || "[]");
    return Array.isArray(found) ? found : [];
  } catch {
    return [];
  }
}
