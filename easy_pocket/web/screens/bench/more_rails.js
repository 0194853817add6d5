// A loop cut into many slices has many rails: the first sixteen are shown, the others under a line that opens them.

import { byId } from "../../shared/dom.js";

const OPEN = "easy-pocket-more-rails";

export class MoreRails {
  /** @param {import("./rails.js").Rails} rails */
  constructor(rails) {
    this.rails = rails;
    this.open = new Set(JSON.parse(sessionStorage.getItem(OPEN) || "[]")); // parts whose rails are all shown
    document.addEventListener("click", (event) => {
      const button = event.target.closest?.("[data-more-rails]"); // of a double click the first press counts
      if (button && event.detail < 2) this.turn(Number(button.closest("[data-part]").dataset.part));
    });
  }

  /** @param {number} part */
  turn(part) {
    if (!this.open.delete(part)) this.open.add(part);
    sessionStorage.setItem(OPEN, JSON.stringify([...this.open]));
    const { rails } = this;
    this.draw(rails.others.folded);
    const shown = rails.shownVoices();
    if (rails.cursor && !shown.includes(rails.cursor.voice)) rails.putCursor(shown[shown.length - 1] ?? "", rails.cursor.tick);
    rails.later();
  }

  /**
   * Where the cursor goes can be seen.
   * @param {string} voice
   */
  reveal(voice) {
    const row = byId(`rail-${voice}`);
    if (!row?.dataset.folds || this.open.has(Number(row.dataset.folds))) return;
    this.turn(Number(row.dataset.folds));
  }

  /** @param {Set<number>} folded parts of which nothing but the head is shown */
  draw(folded) {
    for (const row of document.querySelectorAll("[data-folds]")) row.hidden = folded.has(Number(row.dataset.part)) || !this.open.has(Number(row.dataset.folds));
    for (const line of document.querySelectorAll(".more-rails")) {
      const part = Number(line.dataset.part);
      const open = this.open.has(part);
      line.hidden = folded.has(part);
      const button = line.querySelector("button");
      if (button.getAttribute("aria-expanded") === String(open)) continue;
      const slices = `slice${line.dataset.count === "1" ? "" : "s"}`;
      button.textContent = open ? `▾ the other ${line.dataset.count} ${slices}` : `▸ ${line.dataset.count} more ${slices}`;
      button.setAttribute("aria-expanded", String(open));
    }
  }
}
