// The parts that are not being written, drawn small on the same ruler, with the seams of their turns; one is written by
// pressing it.

import { selection } from "../../shared/selection.js";
import { fitted } from "../../shared/canvas.js";
import { xOf } from "../../shared/rail_geometry.js";

const FOLDED = "easy-pocket-folded";

export class OtherParts {
  /** @param {any} rails */
  constructor(rails) {
    this.rails = rails;
    this.folded = new Set(JSON.parse(sessionStorage.getItem(FOLDED) || "[]"));
    document.addEventListener("click", (event) => this.click(event));
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("[data-other-part] button, .other-hits");
    if (!button) return;
    const part = Number(button.closest("[data-other-part]").dataset.otherPart);
    const { dataset } = button;
    if (dataset.fold !== undefined) this.fold(part);
    else if (dataset.otherSwitch) {
      const value = button.getAttribute("aria-pressed") !== "true";
      this.rails.edits.push({ kind: "part_set", part_id: part, field: dataset.otherSwitch, value }, { near: button });
    } else this.look(part);
  }

  /**
   * Write another part; the place on the ruler stays.
   * @param {any} part
   */
  look(part) {
    Object.assign(selection, { part, pattern: 0 });
    this.rails.page.view.scope = "part";
    return this.rails.page.refresh();
  }

  /** @param {any} part */
  fold(part) {
    if (!this.folded.delete(part)) this.folded.add(part);
    sessionStorage.setItem(FOLDED, JSON.stringify([...this.folded]));
    this.rails.later();
  }

  /**
   * @param {any} look
   * @param {any} facts
   */
  draw(look, facts) {
    for (const row of document.querySelectorAll("[data-other-part]")) {
      const part = Number(row.dataset.otherPart);
      const folded = this.folded.has(part);
      row.classList.toggle("folded", folded);
      const fold = row.querySelector("[data-fold]");
      fold.textContent = folded ? "▸" : "▾";
      fold.setAttribute("aria-expanded", !folded);
      const told = facts.others?.find((/** @type {any} */ one) => one.part === part);
      if (told && !folded) this.drawPart(row.querySelector("canvas"), told, look, facts);
    }
  }

  /**
   * @param {HTMLCanvasElement} canvas
   * @param {any} told
   * @param {any} look
   * @param {import("../../shared/shapes").RailFacts} facts
   */
  drawPart(canvas, told, look, facts) {
    const { pen, width, height } = fitted(canvas);
    const lane = height / Math.max(told.voices.length, 1);
    for (let bar = Math.ceil(look.start / facts.bar); bar * facts.bar <= look.end; bar += 1) {
      pen.fillStyle = "#c9bda8";
      pen.fillRect(Math.round(xOf(bar * facts.bar, look, width)), 0, 1, height);
    }
    pen.strokeStyle = "#d98324";
    pen.setLineDash([2, 3]);
    for (const seam of told.seams) {
      if (seam < look.start || seam > look.end) continue;
      const x = Math.round(xOf(seam, look, width)) + 0.5;
      pen.beginPath();
      pen.moveTo(x, 0);
      pen.lineTo(x, height);
      pen.stroke();
      pen.fillStyle = "#d98324";
      pen.beginPath();
      pen.moveTo(x - 4, height);
      pen.lineTo(x + 4, height);
      pen.lineTo(x, height - 5);
      pen.fill();
    }
    pen.setLineDash([]);
    told.voices.forEach((/** @type {any} */ [, ticks, velocities, offsets], /** @type {number} */ number) => {
      const foot = (number + 1) * lane - 2;
      pen.fillStyle = "#e0d6c4";
      pen.fillRect(0, Math.round(foot), width, 1);
      ticks.forEach((/** @type {number} */ tick, /** @type {number} */ at) => {
        if (tick < look.start - 60 || tick > look.end) return;
        const x = xOf(tick + offsets[at] / facts.msPerTick, look, width);
        const tall = 3 + (velocities[at] / 127) * (lane - 6);
        pen.fillStyle = offsets[at] < -0.75 ? "#0f6b68" : offsets[at] > 0.75 ? "#a83f29" : "#2b3f73";
        pen.fillRect(x - 1.25, foot - tall, 2.5, tall);
      });
    });
  }
}
