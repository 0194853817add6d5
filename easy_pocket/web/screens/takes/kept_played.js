// What the last two minutes hold that was not kept, and the button that keeps it; whether something is being played in.

import { byId, element, text } from "../../shared/dom.js";
import { showNote, speak } from "../../shared/notes.js";
import { askJson } from "./ask_json.js";

export class KeptPlayed {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    screen.keeper.addEventListener("change", () => this.show());
    screen.keeper.addEventListener("hit", () => this.showRemembered());
  }

  keep() {
    const count = this.screen.keeper.keepUnkept();
    this.showRemembered();
    if (count) {
      speak(`${count} kept`);
      return;
    }
    if (this.screen.keeper.free.length > 3) this.askTempo();
    else showNote("Nothing was played in the last two minutes that is not kept already.", { near: byId("keep-played") });
  }

  // Nothing was playing: the tempo and the bars are read out of what was struck.
  async askTempo() {
    const free = this.screen.keeper.free;
    const first = free[0].ms;
    const hits = free.map((hit) => [hit.voice, hit.ms - first - this.screen.latency.of(hit.source), hit.velocity]);
    const answer = await askJson(`/songs/${this.screen.song}/takes/readings`, { hits });
    if (answer.error) {
      showNote(answer.error, { near: byId("keep-played"), wrong: true });
      return;
    }
    const take = (/** @type {import("../../shared/shapes").FreeReadingData} */ reading) => {
      for (const hit of free) hit.sent = true;
      const { length_ticks, tempo_bpm, start_ms } = reading;
      const rows = hits.map(([voice, ms, velocity]) => /** @type {[string, number, number]} */ ([voice, Number(ms) - start_ms, velocity]));
      this.screen.keepPass({ start_tick: 0, length_ticks, tempo_bpm }, rows, "free", true);
    };
    const actions = answer.readings.map((/** @type {any} */ reading) => [reading.words, () => take(reading)]);
    showNote("Nothing was playing. Which of these is it?", { near: byId("keep-played"), actions });
  }

  show() {
    if (!this.screen.mounted || !document.getElementById("play-in")) return;
    const { on } = this.screen.keeper;
    byId("play-in").setAttribute("aria-pressed", `${on}`);
    byId("play-in").textContent = on ? "stop" : "play in";
    this.addGoing();
    this.showRemembered();
    this.screen.picture.later();
  }

  // The time round that goes on, as a row of its own over the passes.
  addGoing() {
    const box = byId("takes-passes");
    const row = box.querySelector(".pass.going");
    if (!this.screen.keeper.on) {
      row?.remove();
      return;
    }
    if (row) return;
    const made = element("div", "pass going");
    made.dataset.pass = "0";
    made.append(element("div", "pass-head", [element("i"), element("span", "", [text("b", "this time"), text("small", this.screen.span.song ? "through the song" : "going round")])]), element("div", "pass-lane"), element("div", "pass-figures"));
    box.prepend(made);
    box.scrollTop = 0;
  }

  showRemembered() {
    if (!this.screen.mounted || !document.getElementById("keep-words")) return;
    const { unkept, free } = this.screen.keeper;
    byId("keep-words").textContent = unkept.length ? `${unkept.length} time${unkept.length > 1 ? "s" : ""} round` : free.length > 3 ? `${free.length} hits, no tempo` : "nothing yet";
  }
}
