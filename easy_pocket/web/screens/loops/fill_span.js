// A fill in a loop, chosen on its waveform beat by beat, and taken to Ideas with its rhythm and dynamics.

import { beatLines, coveredLines, markSpan } from "./beat_lines.js";
import { byId } from "../../shared/dom.js";
import { showLedger } from "../../shared/notes.js";
import { bringFrom } from "../ideas/idea_put.js";

const FIELDS = ["fill-bar", "fill-beat", "fill-beats"];

export class FillSpan {
  /** @param {import("./loops.js").default} loops */
  constructor(loops) {
    this.loops = loops;
    document.addEventListener("click", (event) => {
      this.click(event.target.closest?.("#loop-fill button"));
      if (event.target.closest?.("[data-idea-wave]")) this.choose();
    });
    document.addEventListener("change", ({ target }) => FIELDS.includes(target.id) && this.show(this.beat, this.length));
  }

  get box() {
    return byId("loop-fill");
  }

  // Beats of a bar, and of the whole loop.
  get perBar() {
    return Number(this.box?.dataset.beats ?? 4);
  }

  get beats() {
    return this.perBar * Number(this.box?.dataset.bars ?? 1);
  }

  /**
   * @param {string} id
   * @param {number} most
   */
  typed(id, most) {
    return Math.max(1, Math.min(most, Math.round(Number(byId(id).value)) || 1));
  }

  // The beat it begins on, from 0 at bar one.
  get beat() {
    return Math.min((this.typed("fill-bar", this.beats / this.perBar) - 1) * this.perBar + this.typed("fill-beat", this.perBar) - 1, this.beats - 1);
  }

  get length() {
    return Math.min(this.typed("fill-beats", 2 * this.perBar), this.beats - this.beat);
  }

  /**
   * The beats a stretch of the waveform covers: the first one, and how many.
   * @param {number} one
   * @param {number} other
   */
  covered(one, other) {
    const lines = beatLines();
    const [first, past] = coveredLines(lines, one, other);
    const beat = Math.min(lines[first].beat, this.beats - 1);
    return [beat, Math.min(past - first, this.beats - beat, 2 * this.perBar)];
  }

  /**
   * @param {number} one
   * @param {number} other
   */
  words(one, other) {
    const [beat, length] = this.covered(one, other);
    return this.place(beat, length);
  }

  /**
   * @param {number} beat
   * @param {number} length
   */
  place(beat, length) {
    return `a fill from ${Math.floor(beat / this.perBar) + 1}.${(beat % this.perBar) + 1}, ${length} beat${length === 1 ? "" : "s"}`;
  }

  /**
   * @param {number} one
   * @param {number} other
   */
  draw(one, other) {
    const [beat, length] = this.covered(one, other);
    this.loops.uses.openTab("take");
    this.show(beat, length);
    this.box.scrollIntoView({ block: "nearest" });
    this.loops.setTool("move"); // so that its hits can be corrected
  }

  /**
   * @param {number} beat
   * @param {number} length
   */
  show(beat, length) {
    byId("fill-bar").value = `${Math.floor(beat / this.perBar) + 1}`;
    byId("fill-beat").value = `${(beat % this.perBar) + 1}`;
    byId("fill-beats").value = `${length}`;
    const [begin, end] = markSpan(beatLines(), beat, length, this.loops.wave);
    showLedger(`${this.place(beat, length)}|${begin.toFixed(3)}–${end.toFixed(3)} s`);
    return [begin, end];
  }

  // From Ideas: the waveform of the loop that is chosen there, ready to be drawn over.
  async choose() {
    const { loops } = this;
    await loops.page.redraw(`/songs/${loops.page.song.id}/loops/${byId("bring-loop").value}`);
    loops.uses.openTab("take");
    loops.setTool("fill");
    byId("wave")?.focus({ preventScroll: true });
  }

  /** @param {Piece | null} button */
  async click(button) {
    if (!button) return;
    const { fillHear, fillTake } = button.dataset;
    const { beat, length, loops } = this;
    const [begin, end] = this.show(beat, length);
    if (fillHear !== undefined) await loops.playSpan(begin, end - begin);
    if (fillTake === undefined) return;
    const asked = { loop_id: loops.loopId, from_bar: Math.floor(beat / this.perBar) + 1, from_beat: (beat % this.perBar) + 1 };
    const { page } = loops;
    await page.redraw(`/songs/${page.song.id}/ideas`);
    await bringFrom(page.screens.ideas, asked, length);
  }
}
