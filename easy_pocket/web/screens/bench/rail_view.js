// Which bars are in view, how far apart, and whether they go along with the needle.

const LEAST_TICKS = 960; // one can zoom to a beat
const MOST_BARS = 16;
const FOLLOWS = "easy-pocket-follows";
const REST_AFTER_EDIT_MS = 4000; // so long after an edit the view stays

export class RailView {
  look = { start: 0, end: 0, magnify: 3 };
  /** @type {any} */
  bars = null; // chosen on the ruler
  editedAt = -Infinity;

  // Two bars at first; after a change of length as much as was shown, if it is still there.
  /** @this {import("./rails.js").Rails} */
  fit() {
    const { length, bar } = this.facts;
    const span = this.look.end ? this.look.end - this.look.start : 2 * bar;
    this.show(Math.min(this.look.start, Math.max(0, length - span)), span);
    if (this.bars && (this.bars.from - 1 + this.bars.count) * bar > length) this.bars = null;
  }

  /**
   * @param {number} start
   * @param {any} span
   * @this {import("./rails.js").Rails}
   */
  show(start, span) {
    const { length, bar } = this.facts;
    const shown = Math.max(Math.min(LEAST_TICKS, length), Math.min(span, MOST_BARS * bar, length));
    const from = Math.max(0, Math.min(start, length - shown));
    this.look = { ...this.look, start: from, end: from + shown };
    this.later();
  }

  /**
   * @param {number} factor
   * @param {any} [around]
   * @this {import("./rails.js").Rails}
   */
  zoom(factor, around = null) {
    const { start, end } = this.look;
    const at = around ?? (start + end) / 2;
    const span = Math.max(LEAST_TICKS, Math.min((end - start) * factor, MOST_BARS * this.facts.bar, this.facts.length));
    this.show(at - ((at - start) / (end - start)) * span, span);
  }

  /**
   * @param {any} ticks
   * @this {import("./rails.js").Rails}
   */
  scroll(ticks) {
    this.show(this.look.start + ticks, this.look.end - this.look.start);
  }

  /**
   * @param {number} factor
   * @this {import("./rails.js").Rails}
   */
  magnify(factor) {
    this.look.magnify = factor;
    this.showMode();
    this.later();
  }

  // Whether the view goes along with the needle.
  get follows() {
    return localStorage.getItem(FOLLOWS) !== "off";
  }

  /**
   * @param {boolean} on
   * @this {import("./rails.js").Rails}
   */
  setFollows(on) {
    localStorage.setItem(FOLLOWS, on ? "on" : "off");
    this.showMode();
  }

  /**
   * The needle is at a tick: the bars in view go there, but not while somebody edits.
   * @param {number} tick
   * @this {import("./rails.js").Rails}
   */
  goAlong(tick) {
    const { start, end } = this.look;
    if ((tick >= start && tick < end) || !this.follows || this.busy || performance.now() - this.editedAt < REST_AFTER_EDIT_MS) return;
    this.show(Math.floor(tick / this.facts.bar) * this.facts.bar, end - start);
  }
}
