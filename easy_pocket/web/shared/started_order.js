// Which sections were started while the song played, and for how many bars: offered as the order of the song.

import { byId } from "./dom.js";
import { placeIn } from "./schedule.js";
import { showNote } from "./notes.js";

export class StartedOrder {
  /** @param {import("./song_plan.js").SongPlan} plan */
  constructor(plan) {
    this.plan = plan;
    /** @type {{ from_s: number, until_s: number | null, round?: { from_s: number, to_s: number } | null, turns: number }[]} stretches of the song, one after another; round: that went round so many whole times before */
    this.stretches = [];
    plan.player.addEventListener("change", () => plan.player.running || this.offer());
  }

  /**
   * @param {number} from_s
   * @param {{ from_s: number, to_s: number } | null} round what goes round; null: all of it
   */
  begin(from_s, round) {
    this.stretches = [{ from_s, until_s: null, round, turns: 0 }];
  }

  /**
   * @param {number} until_s where it is left
   * @param {number} to_s
   * @param {boolean} instead whether it takes the place of a jump that was still to come
   */
  jump(until_s, to_s, instead) {
    if (instead && this.stretches.length > 1) this.stretches.pop();
    const last = this.stretches.at(-1);
    if (!last) return;
    const { player } = this.plan;
    last.until_s = until_s;
    if (last.round && !instead) last.turns = Math.max(0, Math.floor((player.now - player.anchor) / player.turnLength));
    this.stretches.push({ from_s: to_s, until_s: null, turns: 0 });
  }

  /**
   * Sections with the bars that were played of each. The last one that sounded counts to its end.
   * @returns {[number, number][]}
   */
  get played() {
    const { song, heard_s } = this.plan;
    /** @type {[number, number][]} */
    const found = [];
    const told = this.stretches.flatMap((one) => [...Array.from({ length: one.round ? one.turns : 0 }, () => ({ from_s: one.round?.from_s ?? 0, until_s: one.round?.to_s ?? 0 })), one]);
    for (const { from_s, until_s } of told) {
      const first = placeIn(song, from_s + 1e-3).bar;
      const last = placeIn(song, Math.max(until_s ?? heard_s, from_s + 2e-3) - 1e-3).bar;
      let before = 0;
      for (let bar = first; ; bar += 1) {
        const section = this.sectionOf(bar);
        if (!section || (bar > last && (until_s !== null || section !== before))) break;
        if (section === before) found[found.length - 1][1] += 1;
        else found.push([section, 1]);
        before = section;
      }
    }
    return found;
  }

  /** @param {number} bar from 0 */
  sectionOf(bar) {
    return this.plan.song.spans.find((/** @type {any} */ one) => bar + 1 >= one.first_bar && bar + 1 < one.first_bar + one.bars)?.section ?? 0;
  }

  offer() {
    const { stretches, plan } = this;
    if (stretches.length < 2 || !plan.song) return;
    const { played } = this;
    this.stretches = [];
    const keep = () => plan.page.edits.push({ kind: "section_order", played }, { near: byId("play") });
    showNote(`${played.length} sections were started in an order of your own.`, { near: byId("play"), actions: [["keep it as the song's order", keep]] });
  }
}
