// An idea heard in place: the stack plays on with it in, round the bar before it and the bar after.

import { byId } from "../../shared/dom.js";

const SHORT_BARS = 4; // a pattern of so many bars goes round whole

export class IdeaHearing {
  /** @param {any} ideas */
  constructor(ideas) {
    this.ideas = ideas;
    this.on = false;
    this.turn = 0;
    this.waits = false; // for ideas that are asked for: what is seen is of before
    this.starts = false; // playing is still to begin: another idea asked for meanwhile begins it just as well
  }

  get player() {
    return this.ideas.page.player;
  }

  toggle() {
    if (this.on) {
      this.end();
      return;
    }
    if (this.ideas.grid.getAttribute("aria-busy")) {
      this.waits = !this.waits;
      return;
    }
    const { idea, card } = this.ideas;
    if (!idea) return;
    this.starts = true;
    this.hear(idea, card);
  }

  // The ideas that were asked for are there.
  answered() {
    if (!this.waits) return;
    this.waits = false;
    if (!this.on) this.toggle();
  }

  /** @param {boolean} on */
  show(on) {
    this.on = on;
    const chip = byId("idea-hear");
    chip?.classList.toggle("on", on);
    chip?.setAttribute("aria-pressed", on);
  }

  /**
   * @param {any} idea
   * @param {Piece} card
   */
  async hear(idea, card) {
    this.show(true);
    const turn = (this.turn += 1);
    const told = await this.ideas.send("/hear", { changes: this.ideas.kept(idea), length_ticks: idea.length_ticks });
    if (turn !== this.turn || !this.on) return;
    if (told.error) {
      this.starts = false;
      this.ideas.say(told.error, true);
      return;
    }
    this.heard = { idea, card };
    await this.player.setBeside(told);
    if (turn !== this.turn) return;
    this.player.setSpan(this.span(idea, card, told));
    const { starts } = this;
    this.starts = false;
    if (starts && !this.player.running) await this.player.start("stack");
  }

  /**
   * The bar before and the bar after, in seconds; null goes round all of it.
   * @param {any} idea
   * @param {any} card
   * @param {import("../../shared/shapes").Playing} playing
   */
  span(idea, card, playing) {
    const { bar } = this.ideas.data;
    const bars = Math.round(idea.length_ticks / bar);
    if (bars <= SHORT_BARS) return null;
    let [first, last] = [Math.floor(idea.begin / bar), Math.ceil(idea.end / bar)];
    if (card.bar) [first, last] = [card.bar - 1, card.bar];
    if (last - first > SHORT_BARS) return null;
    const bar_s = (playing.length_s / idea.length_ticks) * bar;
    return { from_s: Math.max(0, first - 1) * bar_s, to_s: Math.min(bars, last + 1) * bar_s };
  }

  // What is kept of the idea changed while it is heard.
  again() {
    if (this.on && this.heard) this.hear(this.heard.idea, this.heard.card);
  }

  end() {
    this.turn += 1;
    this.starts = false;
    if (!this.on) return;
    this.show(false);
    this.heard = null;
    this.player.setSpan(null);
    this.player.setBeside(null);
  }
}
