// Bars of a long recording as a loop of its own: typed, proposed, or drawn over on the waveform.

import { beatLines, coveredLines, markSpan } from "./beat_lines.js";
import { byId } from "../../shared/dom.js";
import { showLedger } from "../../shared/notes.js";

export class KeepBars {
  /** @param {import("./loops.js").default} loops */
  constructor(loops) {
    this.loops = loops;
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", ({ target }) => ["keep-from", "keep-to"].includes(target.id) && this.show(this.from, this.to));
  }

  get box() {
    return byId("keep-bars");
  }

  get bars() {
    return Number(this.box?.dataset.bars ?? 1);
  }

  get from() {
    return Math.max(1, Math.min(this.bars, Math.round(Number(byId("keep-from").value)) || 1));
  }

  get to() {
    return Math.max(this.from, Math.min(this.bars, Math.round(Number(byId("keep-to").value)) || 1));
  }

  get beats() {
    return Number(this.box?.dataset.beats ?? 1);
  }

  // Where bars begin and the last one ends.
  get lines() {
    return beatLines(this.beats);
  }

  /**
   * The bars that a stretch of the waveform covers, wholly or mostly; of a click the one it is in.
   * @param {number} one
   * @param {number} other
   */
  covered(one, other) {
    const { lines, bars } = this;
    const [first, past] = coveredLines(lines, one, other);
    const from = Math.min(Math.floor(lines[first].beat / this.beats) + 1, bars);
    return [from, Math.min(from + past - first - 1, bars)];
  }

  /**
   * @param {number} one
   * @param {number} other
   */
  words(one, other) {
    const [from, to] = this.covered(one, other);
    return from === to ? `bar ${from}` : `bars ${from} to ${to}`;
  }

  /**
   * @param {number} one
   * @param {number} other
   */
  draw(one, other) {
    const [from, to] = this.covered(one, other);
    this.loops.uses.openTab("take");
    this.show(from, to);
    byId("keep-from").scrollIntoView({ block: "nearest" });
    this.loops.setTool("move");
  }

  /**
   * @param {number} from
   * @param {number} to
   */
  show(from, to) {
    byId("keep-from").value = `${from}`;
    byId("keep-to").value = `${to}`;
    const [begin, end] = markSpan(this.lines, (from - 1) * this.beats, to - from + 1, this.loops.wave);
    showLedger(`${from === to ? `bar ${from}` : `bars ${from} to ${to}`}|${begin.toFixed(3)}–${end.toFixed(3)} s`);
    return [begin, end];
  }

  /** @param {PageEvent} event */
  async click(event) {
    const button = event.target.closest?.("#keep-bars button");
    if (!button) return;
    const { keepFrom, keepBars, keepHear, keepThem } = button.dataset;
    if (keepFrom) this.show(Number(keepFrom), Number(keepFrom) + Number(keepBars) - 1);
    if (keepHear !== undefined || keepFrom) {
      const [from, end] = this.show(this.from, this.to);
      await this.loops.playSpan(from, end - from);
    }
    if (keepThem === undefined) return;
    const { loops } = this;
    const edit = { kind: /** @type {const} */ ("loop_keep_bars"), loop_id: loops.loopId, from_bar: this.from, bars: this.to - this.from + 1 };
    if (!(await loops.edits.push(edit, { near: button }))) return;
    await loops.page.redraw(`/songs/${loops.section.dataset.song}/loops`);
  }
}
