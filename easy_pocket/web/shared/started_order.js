// Which sections were started while the song played, and for how many bars: offered as the order of the song.

import { byId } from "./dom.js";
import { placeIn } from "./schedule.js";
import { showNote } from "./notes.js";

export class StartedOrder {
  /** @param {import("./song_plan.js").SongPlan} plan */
  constructor(plan) {
    this.plan = plan;
    /** @type {{ from_s: number, until_s: number | null }[]} stretches of the song, one after another */
    this.stretches = [];
    plan.player.addEventListener("change", () => plan.player.running || this.offer());
  }

  /** @param {number | null} from_s null: only some of the song goes round */
  begin(from_s) {
    this.stretches = from_s === null ? [] : [{ from_s, until_s: null }];
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
    last.until_s = until_s;
    this.stretches.push({ from_s: to_s, until_s: null });
  }

  /**
   * Sections with the bars that were played of each. The last one that sounded counts to its end.
   * @returns {[number, number][]}
   */
  get played() {
    const { song, heard_s } = this.plan;
    /** @type {[number, number][]} */
    const found = [];
    for (const { from_s, until_s } of this.stretches) {
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
