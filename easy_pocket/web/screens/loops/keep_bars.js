// Bars of a long recording as a loop of its own: typed, proposed, or drawn over on the waveform.

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

  // Where bars begin and the last one ends, in seconds.
  get lines() {
    return [...document.querySelectorAll("#wave-over .w-bar")].map((line) => Number(/** @type {any} */ (line).dataset.at)).sort((one, other) => one - other);
  }

  /**
   * The bars that a stretch of the waveform covers, wholly or mostly; of a click the one it is in.
   * @param {number} one
   * @param {number} other
   */
  covered(one, other) {
    const lines = this.lines;
    const [from, to] = [Math.min(one, other), Math.max(one, other)];
    const inBar = (/** @type {number} */ time) => Math.max(1, lines.filter((line) => line <= time).length);
    const length = lines.length > 1 ? lines[1] - lines[0] : 1;
    if (to - from < length / 2) return [Math.min(inBar((from + to) / 2), this.bars), Math.min(inBar((from + to) / 2), this.bars)];
    const nearest = (/** @type {number} */ time) => lines.reduce((best, line, number) => (Math.abs(line - time) < Math.abs(lines[best] - time) ? number : best), 0);
    const first = Math.min(nearest(from) + 1, this.bars);
    const until = Math.max(first, nearest(to) === lines.length - 1 && lines.length <= this.bars ? this.bars : nearest(to));
    return [first, Math.min(until, this.bars)];
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
    document.querySelector('#loop-side [data-tab="take"] a, #loop-side [data-tab="take"]')?.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
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
    const { lines, bars } = this;
    const end = to < bars || lines.length > bars ? lines[to] : this.loops.wave.duration;
    Object.assign(byId("span-drawn").dataset, { from: lines[from - 1], until: end });
    byId("span-drawn").classList.add("kept");
    this.loops.wave.later();
    showLedger(`${from === to ? `bar ${from}` : `bars ${from} to ${to}`}|${lines[from - 1].toFixed(3)}–${end.toFixed(3)} s`);
    return [lines[from - 1], end];
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
