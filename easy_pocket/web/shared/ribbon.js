// The ribbon of sections: each as wide as its bars; pressed, its bars are shown; named, split and joined in place.

import { byId } from "./dom.js";
import { selection } from "./selection.js";
import { showNote } from "./notes.js";

export class Ribbon {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    this.page = page;
    /** @type {Piece | undefined} */
    this.shown = undefined;
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    this.draw();
  }

  // After every answer: the sections' shares of the width.
  draw() {
    const sections = [...byId("ribbon").querySelectorAll(".section")];
    const chosen = sections.find((section) => Number(section.dataset.section) === selection.section) ?? sections[0];
    for (const section of sections) {
      section.style.flexGrow = section.dataset.allBars;
      section.classList.toggle("on", section === chosen);
    }
    const ribbon = byId("ribbon");
    if (chosen && chosen !== this.shown && ribbon.scrollWidth > ribbon.clientWidth) ribbon.scrollLeft = chosen.offsetLeft - ribbon.clientWidth / 2;
    this.shown = chosen;
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("#ribbon button");
    if (!button) return;
    const section = button.closest(".section");
    const { dataset } = button;
    if (dataset.sectionGo !== undefined) this.go(section);
    else if (dataset.sectionSplit !== undefined) this.split(section, button);
    else if (dataset.sectionJoin !== undefined) this.push({ kind: "section_join", section_id: Number(section.dataset.section) }, section);
  }

  /**
   * @param {import("./shapes").Edit} edit
   * @param {Piece} near
   */
  push(edit, near) {
    this.page.edits.push(edit, { near });
  }

  /**
   * Where the song is, in the section that sounds; null hides it.
   * @param {any} place
   */
  needle(place) {
    const thread = byId("ribbon-needle");
    if (!thread) return;
    const section = place && byId("ribbon").querySelector(`[data-section="${place.span.section}"]`);
    thread.hidden = !section;
    if (!section) return;
    const turns = this.page.plan.song.spans.filter((/** @type {any} */ span) => span.section === place.span.section);
    const share = (turns.indexOf(place.span) + place.within) / turns.length;
    const x = Math.round(section.offsetLeft + section.offsetWidth * share);
    if (thread.dataset.x !== `${x}`) thread.style.transform = `translateX(${(thread.dataset.x = String(x))}px)`;
  }

  /**
   * To a section: the page looks at what is played there. While the song plays it goes on; from where it is chosen
   * on the Song screen one plays it.
   * @param {any} section
   */
  async go(section) {
    const id = Number(section.dataset.section);
    const { page } = this;
    const moves = id !== selection.section;
    selection.section = id;
    this.draw();
    await page.current.showSection(section, moves);
  }

  /**
   * @param {any} section
   * @param {Piece} button
   */
  split(section, button) {
    const field = section.querySelector("[data-section-bar]");
    const bar = Math.round(Number(field.value));
    if (bar >= 1) this.push({ kind: "section_split", bar }, section);
    else showNote(`'${field.value}' is no bar: type its number.`, { near: button, wrong: true });
  }

  /** @param {any} options */
  change({ target }) {
    if (target.dataset?.sectionName === undefined || !target.value.trim()) return;
    const section = target.closest(".section");
    this.push({ kind: "section_name", section_id: Number(section.dataset.section), name: target.value }, section);
  }
}
