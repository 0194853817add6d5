// A line to start from: stepped through, heard at the tempo that is set, begun with.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { showNote } from "../../shared/notes.js";

const SVG = "http://www.w3.org/2000/svg";
const [WIDE, TALL] = [116, 38];

export class LineChoice {
  /** @param {any} shelf */
  constructor(shelf) {
    this.shelf = shelf;
    this.at = 0;
    this.heard = false; // what plays is the line
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("submit", (event) => this.box?.contains(event.target) && this.fill(), true);
  }

  get box() {
    return byId("begin-line");
  }

  /** @returns {import("../../shared/shapes").ShelfLine[]} */
  get lines() {
    return JSON.parse(byId("shelf-lines").textContent ?? "[]");
  }

  get line() {
    const { lines } = this;
    return lines[this.at % lines.length];
  }

  arrive() {
    this.draw();
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("#begin-line button");
    if (!button) return;
    if (button.dataset.lineNext !== undefined) this.next();
    else if (button.dataset.linePlay !== undefined) this.toggle();
    else this.fill();
  }

  next() {
    this.at += 1;
    this.draw();
    if (this.heard && this.shelf.player.running) this.play();
  }

  // What the form sends.
  fill() {
    this.box.querySelector("[name=line]").value = this.line.key;
    this.box.querySelector("[name=tempo_bpm]").value = this.shelf.tempo.value;
  }

  draw() {
    const { line } = this;
    const svg = this.box.querySelector("svg");
    const rows = Math.max(1, line.voices.length);
    svg.replaceChildren(
      ...line.picture.map(([at, voice, level]) => {
        const stroke = document.createElementNS(SVG, "path");
        const base = TALL - 1 - (rows - 1 - voice) * (TALL / rows);
        stroke.setAttribute("d", `M${3 + at * (WIDE - 4)} ${base}v${-Math.max(2, level * (TALL / rows - 4))}`);
        return stroke;
      }),
    );
    this.box.querySelector(".line-name").textContent = `${line.name} · ${line.metre}${line.feel ? ` ${line.feel}` : ""}`;
    this.fill();
  }

  toggle() {
    const { player } = this.shelf;
    const playing = player.running && this.heard;
    player.stop();
    if (!playing) this.play();
  }

  async play() {
    const { player, page, tempo } = this.shelf;
    const { key } = this.line;
    page?.player.stop();
    const answer = await ask(`/shelf/lines/${encodeURIComponent(key)}/playing?tempo_bpm=${encodeURIComponent(tempo.value.replace(",", "."))}`).catch(() => null);
    const told = await answer?.json().catch(() => null);
    if (!answer?.ok) {
      showNote(told?.error ?? "Easy Pocket does not answer just now; try again in a moment.", { near: this.box, wrong: true });
      return;
    }
    if (this.line.key !== key) return;
    this.heard = true;
    if (player.mode === "song") player.stop();
    player.setStack(told);
    if (!player.running) await player.start("stack");
  }

  /** @param {boolean} running */
  show(running) {
    const button = this.box?.querySelector("[data-line-play]");
    if (!button) return;
    button.setAttribute("aria-pressed", running && this.heard);
    button.setAttribute("aria-label", running && this.heard ? "Stop the line" : "Hear the line");
  }
}
