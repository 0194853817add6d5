// Passes that a microphone hears: each time round is listened to as a loop is, its hits sorted on the part's voices.

import { ask } from "../../shared/api.js";
import { byId } from "../../shared/dom.js";
import { openTape, wav, whyNot } from "../../shared/tape.js";

const AROUND_S = 0.2; // of sound before and after a pass goes along
const PLAIN = "table, mouth, a real drum";

export class MicPasses {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    /** @type {any} */
    this.tape = null;
    this.words = PLAIN;
    this.asking = 0; // passes that are being listened to
  }

  async toggle() {
    if (this.tape) {
      this.close();
      return;
    }
    const { player } = this.screen.page;
    const { worklet, simulated } = byId("mic-source").dataset;
    await player.ready();
    try {
      this.tape = await openTape(player.context, { kind: this.kind, worklet, simulated });
      this.tape.heard = (/** @type {number} */ peak) => peak > 0.05 && this.screen.devices.flash("mic");
      this.words = this.tape.stream ? "is heard; wear headphones" : "simulated: a mouth";
    } catch (error) {
      this.words = whyNot(error);
    }
    this.screen.showDevices();
  }

  // The microphone, unless a machine has none to try it with.
  get kind() {
    return localStorage.getItem("easy-pocket-mic") ?? "microphone";
  }

  close() {
    this.tape?.close();
    this.tape = null;
    this.words = PLAIN;
    this.screen.showDevices();
  }

  /**
   * The loop begins: a simulated mouth begins with it.
   * @param {any} round
   */
  begin(round) {
    if (this.tape && !this.tape.stream) this.tape.begin(round.anchor);
  }

  /**
   * One time round that is over, or that was stopped.
   * @param {any} round
   * @param {number} number
   * @param {boolean} last
   */
  async send(round, number, last) {
    if (!this.tape) return;
    const { clock, page, latency } = this.screen;
    const late_s = this.tape.stream ? this.tape.latency_s + clock.way_s + latency.of("mic") / 1000 : 0;
    const begin = round.anchor + number * round.length_s + late_s;
    const { context } = page.player;
    const line = this.tape.cut(begin - AROUND_S, begin + round.length_s + AROUND_S);
    const file = new Blob([wav(line, context.sampleRate)], { type: "audio/wav" });
    this.asking += 1;
    this.words = "listening to what was played";
    this.screen.showDevices();
    const answer = await ask(`/songs/${page.song.id}/takes/listen/upload?lead_ms=${AROUND_S * 1000}`, { method: "POST", body: file, headers: { Accept: "application/json" } }).catch(() => null);
    const found = await answer?.json().catch(() => null);
    this.asking -= 1;
    this.words = answer?.ok ? (found.hits.length ? `${found.hits.length} hits were heard` : "no hit was heard in that pass") : (found?.error ?? "Easy Pocket does not answer just now; that pass is lost");
    if (answer?.ok && found.hits.length) this.screen.keepPass(round, found.hits, "microphone", last);
    this.screen.showDevices();
  }
}
