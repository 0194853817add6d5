// Loops under the stack, drawn below the rails on the same ruler.

import { colours, fitted } from "../../shared/canvas.js";
import { xOf } from "../../shared/rail_geometry.js";

const EVERY = 1024; // samples in a peak
const RATE_HZ = 44100;
const MOST_KEPT = 24;

export class LayerRows {
  /** @param {any} rails */
  constructor(rails) {
    this.rails = rails;
    /** @type {Map<any, any>} */
    this.kept = new Map(); // peaks by key
    document.addEventListener("click", (event) => this.click(event));
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("[data-layer-mute]");
    if (!button) return;
    const value = button.getAttribute("aria-pressed") !== "true";
    this.rails.edits.push({ kind: "layered_loop_set", loop_id: Number(button.dataset.layerMute), field: "muted", value }, { near: button });
  }

  /**
   * What the stack plays now says what to draw; a muted loop is drawn as it would be.
   * @param {any} look
   * @param {any} facts
   */
  draw(look, facts) {
    for (const row of document.querySelectorAll(".layer-row")) {
      const peaks = this.peaks(facts.layers[row.dataset.loopId]);
      const { pen, width, height } = fitted(row.querySelector("canvas"));
      if (!(peaks instanceof Int8Array) || !width) continue;
      const perTick = (facts.msPerTick / 1000) * (RATE_HZ / EVERY);
      pen.fillStyle = row.dataset.muted === "true" ? colours().beat : colours().wave;
      const left = Math.max(0, Math.floor(xOf(look.start, look, width)));
      const right = Math.min(width, Math.ceil(xOf(look.end, look, width)));
      for (let x = left; x < right; x += 1) {
        const tick = (/** @type {number} */ at) => look.start + ((at - xOf(look.start, look, width)) / (xOf(look.end, look, width) - xOf(look.start, look, width))) * (look.end - look.start);
        const first = Math.floor(tick(x) * perTick);
        const last = Math.max(first + 1, Math.floor(tick(x + 1) * perTick));
        let low = 0;
        let high = 0;
        for (let index = Math.max(0, first); index < Math.min(last, peaks.length / 2); index += 1) {
          low = Math.min(low, peaks[2 * index]);
          high = Math.max(high, peaks[2 * index + 1]);
        }
        pen.fillRect(x, height / 2 - (high / 127) * (height / 2 - 2), 1, Math.max(1, ((high - low) / 127) * (height / 2 - 2)));
      }
    }
  }

  /** @param {string} key */
  peaks(key) {
    if (!key) return null;
    if (!this.kept.has(key)) {
      this.kept.set(key, this.fetch(key));
      while (this.kept.size > MOST_KEPT) this.kept.delete(this.kept.keys().next().value);
    }
    return this.kept.get(key);
  }

  /** @param {string} key */
  async fetch(key) {
    const answer = await fetch(`/audio/layers/${key}.bin`).catch(() => null);
    if (answer?.ok) this.kept.set(key, new Int8Array(await answer.arrayBuffer()));
    else this.kept.delete(key);
    if (answer?.ok) this.rails.later();
  }
}
