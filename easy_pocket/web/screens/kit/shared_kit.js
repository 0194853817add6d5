// A kit belongs to the song once it is changed: the first change of one that other songs play on makes this song a copy
// of its own, says so, and offers to change it for all of them instead.

import { showNote } from "../../shared/notes.js";

const REMEMBERED = "easy-pocket-kits-for-all";

export class SharedKit {
  /**
   * @param {any} edits
   * @param {import("../../shared/page.js").Page} page
   */
  constructor(edits, page) {
    this.edits = edits;
    this.page = page;
    /** @type {{ key: string, name: string, songs: number, since: { edit: any, options: any }[], made: boolean } | null} */
    this.copied = null; // the kit that was copied just now, and what was changed since
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
    const { key, name, songs } = this.facts;
    const onItsWay = this.copied?.key === key && !this.copied.made; // the page still shows the kit of all
    const mine = songs < 2 || remembered().includes(key) || onItsWay;
    if (!mine) {
      const copied = { key, name, songs, since: [], made: false };
      this.copied = copied;
      this.edits.push({ kind: "kit_new", source: "song", name: this.nameOf(name) }).then(() => (copied.made = true));
      this.tell(options.near);
    }
    const { copied } = this;
    if (copied?.since.at(-1)?.options.gesture && copied.since.at(-1)?.options.gesture === options.gesture) copied.since.pop();
    copied?.since.push({ edit, options });
    return this.edits.push(edit, options);
  }

  /** @param {string} name */
  nameOf(name) {
    return `${name} (${this.page.song.name})`.slice(0, 80);
  }

  /** @param {Piece} near */
  tell(near) {
    const { name, songs } = /** @type {{ name: string, songs: number }} */ (this.copied);
    const words = `${name} is in ${songs} songs: this song has a copy of its own now, "${this.nameOf(name)}".`;
    showNote(words, { near, actions: [[`change it in all ${songs} songs`, () => this.forAll()]] });
  }

  // The copy goes, and what was changed on it since is changed on the kit of all.
  async forAll() {
    const { copied } = this;
    if (!copied) return;
    this.copied = null;
    localStorage.setItem(REMEMBERED, JSON.stringify([...remembered(), copied.key].slice(-200)));
    for (let step = 0; step <= copied.since.length; step += 1) await this.edits.step("undo");
    for (const { edit, options } of copied.since) this.edits.push(edit, { near: options.near });
    this.page.whose.give();
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
