// What is kept when it is struck: which voices, in which bars; the rest is heard only.

import { byId, element } from "../../shared/dom.js";

const EARLY_S = 0.06; // a hit so early before a bar may be of it: the server says

export class Armed {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    /** @type {Set<string>} */
    this.resting = new Set();
    this.punched = { from_bar: 0, to_bar: 0 };
  }

  /** @param {string} voice */
  has(voice) {
    return !this.resting.has(voice);
  }

  /**
   * Whether any hit of a time round lies in the bars that are kept.
   * @param {any} round
   * @param {import("./pass_keeper.js").Row[]} hits
   */
  reaches(round, hits) {
    const { from_bar, to_bar } = this.punched;
    const lines_s = round.song ? this.screen.page.plan.song?.bars_s : null;
    if (lines_s) return hits.some(([, ms]) => ms / 1000 >= (lines_s[Math.max(from_bar, 1) - 1] ?? Infinity) - EARLY_S && (!to_bar || ms / 1000 < (lines_s[to_bar] ?? Infinity)));
    const bar_ms = (((this.screen.data?.bar_ticks ?? 3840) / 960) * 60_000) / round.tempo_bpm;
    const early_ms = bar_ms / 32;
    return hits.some(([, ms]) => {
      const bar = Math.floor((ms + early_ms) / bar_ms) + 1;
      return bar >= from_bar && (!to_bar || bar <= to_bar);
    });
  }

  show() {
    const list = byId("armed-list");
    const names = new Map(this.screen.data?.pads.map((pad) => [pad.voice, pad.name]));
    list.replaceChildren(
      ...this.screen.pads.columns.map((voice) => {
        const label = element("label", "check");
        const box = element("input");
        Object.assign(box, { type: "checkbox", value: voice, checked: this.has(voice) });
        box.dataset.armed = voice;
        label.append(box, ` ${names.get(voice)}`);
        return label;
      }),
    );
    const armed = this.screen.pads.columns.filter((voice) => this.has(voice)).length;
    this.showWords(armed);
  }

  /** @param {number} armed how many voices */
  showWords(armed) {
    const { from_bar, to_bar } = this.punched;
    const voices = armed === this.screen.pads.columns.length ? "all voices" : `${armed} voice${armed === 1 ? "" : "s"}`;
    byId("armed-words").textContent = from_bar || to_bar ? `${voices}, bars ${from_bar || 1}–${to_bar || "end"}` : voices;
  }

  /**
   * Only some bars are kept; what was set for other bars is not kept from song to song.
   * @param {string} field
   * @param {number} bar
   */
  punch(field, bar) {
    this.punched = { ...this.punched, [field]: Math.max(0, Math.min(512, Math.round(bar) || 0)) };
    this.show();
  }

  /**
   * @param {string} voice
   * @param {boolean} armed
   */
  arm(voice, armed) {
    if (armed) this.resting.delete(voice);
    else this.resting.add(voice);
    const count = this.screen.pads.columns.filter((one) => this.has(one)).length;
    this.showWords(count);
  }
}
