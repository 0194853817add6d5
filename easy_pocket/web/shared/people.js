// Who else is in the song and where they look, and what is said about it. Each is told apart by initials and by the
// stitch round them, not by colour alone; the same stitch lies under the section they are in.

import { OWN_TAB, ask } from "./api.js";
import { byId } from "./dom.js";
import { selectionText } from "./selection.js";

const TOLD_MS = 400;

export class People {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    this.page = page;
    /** @type {any[]} */
    this.here = [];
    this.comments = 0; // that are not ticked off
    this.told = this.place;
    document.addEventListener("click", (event) => this.click(event.target.closest?.("[data-there], [data-comment-go], [data-select-whole]")));
    // What was there when it was open last can be written in before it is fetched anew.
    document.addEventListener("click", (event) => event.target.closest?.("#comments-open") && setTimeout(() => byId("comments-box").checkVisibility() && byId("comment-words")?.focus()));
    document.addEventListener("focusin", (event) => event.target.dataset?.selectWhole !== undefined && event.target.select());
    document.body.addEventListener("htmx:afterSettle", (event) => this.settled(event.detail));
  }

  get place() {
    return `${this.page.screen} ${selectionText()}`;
  }

  // This page looks somewhere else.
  tell() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      if (!byId("people") || this.place === this.told || !this.page.showsSong) return;
      this.told = this.place;
      const query = new URLSearchParams({ tab: OWN_TAB, screen: this.page.screen ?? "bench", at: selectionText() });
      ask(`/songs/${this.page.song.id}/here?${query}`, { method: "POST" }).catch(() => null);
    }, TOLD_MS);
  }

  /** @param {{ people: any[], comments: number }} told */
  show({ people, comments }) {
    this.here = people.filter(({ tab }) => tab !== OWN_TAB);
    const before = this.comments;
    this.count(comments);
    this.draw();
    if (comments !== before && byId("comments-box")?.checkVisibility()) htmx.ajax("get", `/songs/${this.page.song.id}/comments`, { target: "#comments-box", swap: "refresh" });
  }

  draw() {
    const box = byId("people");
    if (!box) return;
    box.hidden = !this.here.length;
    const chips = this.here.map((one) => {
      const chip = document.createElement("button");
      chip.type = "button";
      chip.className = `stitched stitch-${one.stitch}`;
      chip.dataset.there = one.tab;
      chip.textContent = one.initials;
      const who = String(one.person_id) === box.dataset.me ? "You, in another tab" : one.name;
      chip.title = `${who}: ${this.where(one)}. Press to look there.`;
      chip.setAttribute("aria-label", chip.title);
      return chip;
    });
    const focused = /** @type {Piece | null} */ (document.activeElement);
    const kept = focused?.closest("#people") ? focused.dataset.there : null;
    box.replaceChildren(...chips);
    if (kept) box.querySelector(`[data-there="${kept}"]`)?.focus();
    document.querySelectorAll("#ribbon .there").forEach((mark) => mark.remove());
    for (const one of this.here) {
      const [, , section] = one.place.split(".");
      const cloth = document.querySelector(`#ribbon [data-section="${section}"]`);
      if (!cloth) continue;
      const mark = document.createElement("span");
      mark.className = `there stitched stitch-${one.stitch}`;
      mark.textContent = one.initials;
      mark.setAttribute("aria-hidden", "true");
      cloth.append(mark);
    }
  }

  /** @param {any} one */
  where(one) {
    const title = this.page.titles.find(({ name }) => name === one.screen)?.title ?? one.screen;
    const [, , section] = one.place.split(".");
    const name = document.querySelector(`#ribbon [data-section="${section}"] b`)?.textContent;
    return name ? `on the ${title}, ${name}` : `on the ${title}`;
  }

  /** @param {Piece | null} piece */
  click(piece) {
    if (!piece) return;
    if (piece.dataset.selectWhole !== undefined) return /** @type {any} */ (piece).select();
    if (piece.dataset.commentGo !== undefined) {
      byId("comments-open").click();
      const { section, part } = piece.dataset;
      this.page.lookAt({ section: Number(section), pattern: 0, ...(Number(part) ? { part: Number(part) } : {}) });
      return;
    }
    const one = this.here.find(({ tab }) => tab === piece.dataset.there);
    if (!one) return;
    const [part, pattern, section] = one.place.split(".").map(Number);
    this.page.lookAt({ part, pattern, section });
    if (one.screen !== this.page.screen) document.querySelector(`[data-screen-link="${one.screen}"]`)?.click();
  }

  /**
   * A box was filled: with a new link, which is chosen whole; with comments, where what was written is pinned now, and
   * one writes at once when it was just opened.
   * @param {any} options
   */
  settled({ target, elt, requestConfig }) {
    const box = target ?? elt;
    if (box?.id === "share-box") box.querySelector("[data-select-whole]")?.select();
    if (box?.id !== "comments-box") return;
    this.count(box.querySelectorAll(".comment:not(.done)").length);
    const asked = requestConfig?.elt?.id;
    if (asked === "comment-new") byId("comment-words").value = "";
    if (asked === "comment-new" || (asked === "comments-open" && box.checkVisibility())) byId("comment-words").focus();
  }

  /** @param {number} open comments that are not ticked off */
  count(open) {
    this.comments = open;
    const mark = byId("comment-count");
    if (!mark) return;
    mark.textContent = open ? String(open) : "";
    mark.hidden = !open;
  }
}
