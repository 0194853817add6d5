// The ribbon of sections: each as wide as its bars; pressed, its bars are shown; named, split and joined in place.

import { showNote } from "./notes.js";

const byId = (id) => document.getElementById(id);

export class Ribbon {
  constructor(page) {
    this.page = page;
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    this.draw();
  }

  // After every answer: the sections' shares of the width.
  draw() {
    const sections = [...byId("ribbon").querySelectorAll(".section")];
    const chosen = sections.find((section) => Number(section.dataset.firstBar) === this.at) ?? sections[0];
    for (const section of sections) {
      section.style.flexGrow = section.dataset.bars;
      section.classList.toggle("on", section === chosen);
    }
  }

  click(event) {
    const button = event.target.closest?.("#ribbon button");
    if (!button) return;
    const section = button.closest(".section");
    const { dataset } = button;
    if (dataset.sectionGo !== undefined) this.go(section);
    else if (dataset.sectionSplit !== undefined) this.split(section, button);
    else if (dataset.sectionJoin !== undefined) this.push({ kind: "section_join", section_id: Number(section.dataset.section) }, section);
  }

  push(edit, near) {
    this.page.edits.push(edit, { near });
  }

  go(section) {
    const [from, count] = [Number(section.dataset.firstBar), Number(section.dataset.bars)];
    this.at = from;
    this.draw();
    const { rails } = this.page;
    if (this.page.screen !== "bench") return;
    rails.show((from - 1) * rails.facts.bar, count * rails.facts.bar);
    rails.chooseBars({ from, count });
  }

  split(section, button) {
    const field = section.querySelector("[data-section-bar]");
    const bar = Math.round(Number(field.value));
    if (bar >= 1) this.push({ kind: "section_split", bar }, section);
    else showNote(`'${field.value}' is no bar: type its number.`, { near: button, wrong: true });
  }

  change({ target }) {
    if (target.dataset?.sectionName === undefined || !target.value.trim()) return;
    const section = target.closest(".section");
    this.push({ kind: "section_name", section_id: Number(section.dataset.section), name: target.value }, section);
  }
}
