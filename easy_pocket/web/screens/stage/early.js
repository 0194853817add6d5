// A control of a unit is heard before its edit is answered: the server tells how the unit sounds, and keeps nothing. Until
// the edits are through the player takes that unit; then what they made.

import { askJson } from "../../shared/api.js";
import { planWithUnit } from "../../shared/stage_graph.js";

export class Early {
  /** @param {import("./stage.js").default} stage */
  constructor(stage) {
    this.stage = stage;
    /** @type {{ where: string, at: number, unit: { kind: string, settings?: object } } | null} */
    this.wanted = null;
    this.asking = false;
    this.heard = false;
    stage.edits.addEventListener("waiting", (/** @type {any} */ event) => event.detail.count || this.end());
  }

  /**
   * @param {string} where
   * @param {number} at its place among the units that are on
   * @param {{ kind: string, settings?: Record<string, any> }} unit
   */
  async hear(where, at, unit) {
    this.wanted = { where, at, unit };
    if (this.asking) return;
    this.asking = true;
    while (this.wanted) {
      /** @type {{ where: string, at: number, unit: { kind: string, settings?: object } }} */
      const wanted = this.wanted;
      const answer = await askJson("/stage/unit", { kind: wanted.unit.kind, settings: wanted.unit.settings ?? {} }).catch(() => null);
      const plan = answer?.ok ? (await answer.json().catch(() => null))?.unit : null;
      if (plan && this.wanted) {
        this.heard = true;
        this.stage.page.player.setTrial((shown) => planWithUnit(shown, { where: wanted.where, at: wanted.at, unit: plan }));
      }
      if (this.wanted === wanted) this.wanted = null;
    }
    this.asking = false;
  }

  end() {
    this.wanted = null;
    if (!this.heard) return;
    this.heard = false;
    this.stage.page.player.setTrial(null);
  }
}
