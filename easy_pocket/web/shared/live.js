// The song as others change it: the page is told, and draws what is new without losing what it is doing. A tab that is
// not looked at follows nothing, for a browser has few connections to one place; when it is looked at again it catches up.

import { byId } from "./dom.js";
import { OWN_TAB } from "./api.js";
import { selectionText } from "./selection.js";

const SHOWN_MS = 6000;

export class Live {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    this.page = page;
    /** @type {EventSource | null} */
    this.source = null;
    /** @type {number | null} */
    this.of = null;
    document.addEventListener("visibilitychange", () => this.follow());
    this.follow();
  }

  follow() {
    const wanted = !document.hidden && this.page.showsSong ? this.page.song.id : null;
    if (wanted === this.of) return;
    this.source?.close();
    this.of = wanted;
    this.source = wanted === null ? null : new EventSource(`/songs/${wanted}/live?${new URLSearchParams({ tab: OWN_TAB, screen: this.page.screen ?? "bench", at: selectionText() })}`);
    this.source?.addEventListener("changed", ({ data }) => this.changed(JSON.parse(data)));
    this.source?.addEventListener("here", ({ data }) => this.page.people.show(JSON.parse(data)));
    this.source?.addEventListener("gone", () => this.source?.close());
  }

  /** @param {{ revision: number, words: string, tab: string, who: string }} change */
  changed({ revision, words, tab, who }) {
    const { edits } = this.page;
    if (tab === OWN_TAB || revision <= edits.revision) return;
    this.page.changedElsewhere = true;
    if (edits.queue.length) this.page.refreshWanted = true;
    else this.page.refresh();
    if (words) this.tell(words, who);
  }

  /**
   * @param {string} words
   * @param {string} who
   */
  tell(words, who) {
    const line = byId("elsewhere");
    line.textContent = `${who || "elsewhere"}: ${words}`;
    line.hidden = false;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => (line.hidden = true), SHOWN_MS);
  }
}
