// Play and stop, what is heard (felt, straight), and where the playing is.

import { byId } from "./dom.js";

export class Transport {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    this.page = page;
    this.player = page.player;
    /** @type {any} */
    this.held = null; // the timing that comes back when "straight" is let go
    this.player.addEventListener("change", () => this.show());
    document.addEventListener("click", (event) => this.click(event.target.closest?.("button")));
    document.addEventListener("keyup", (event) => event.key === "h" && this.letGo());
    window.addEventListener("blur", () => this.letGo()); // keys that are held do not say that they were let go elsewhere
  }

  /** @param {Piece} button */
  click(button) {
    /** @type {Record<string, any>} */
    const actions = {
      play: () => this.toggle(),
      "play-song": () => this.page.plan.toggle(),
      "to-start": () => this.player.toStart(),
      felt: () => this.setTiming("felt"),
      straight: () => this.setTiming("straight"),
      "loop-toggle": () => this.toggleLoop(button),
    };
    actions[button?.id]?.();
  }

  toggle() {
    const { plan } = this.page;
    if (plan.on && !this.player.running && !this.player.starting) plan.play();
    else this.player.toggle();
  }

  /** @param {Piece} button */
  toggleLoop(button) {
    this.player.repeats = !this.player.repeats;
    button.classList.toggle("on", this.player.repeats);
    button.setAttribute("aria-pressed", this.player.repeats);
  }

  /** @param {string} timing */
  setTiming(timing) {
    for (const name of ["felt", "straight"]) {
      byId(name).classList.toggle("on", name === timing);
      byId(name).setAttribute("aria-pressed", name === timing);
    }
    const { page } = this;
    page.view.straight = timing === "straight";
    if (page.plan.playsSong) page.plan.fresh();
    if (page.view.straight && !page.playing.straight) page.fetchStraightSoon(0);
    this.player.setTiming(timing);
  }

  hold() {
    this.held = this.player.timing;
    this.setTiming("straight");
  }

  letGo() {
    if (!this.held) return;
    this.setTiming(this.held);
    this.held = null;
  }

  show() {
    const { running } = this.player;
    byId("play").setAttribute("aria-pressed", running);
    byId("play").setAttribute("aria-label", running ? "Stop" : "Play");
    this.page.current.playingChanged();
    if (running && !this.moving) this.draw();
    if (!running && this.player.mode === "both") this.player.stack = this.page.playing;
  }

  draw() {
    const { position } = this.player;
    const text = position === null ? "1.1.01" : this.placeText(position);
    if (byId("position").textContent !== text) byId("position").textContent = text;
    this.page.ribbon.needle(position !== null && this.player.mode === "song" ? this.page.plan.place(position) : null);
    this.page.current.needle(position);
    this.player.click?.flash(position);
    // Nothing moves while nothing plays: then no frame is asked for.
    this.moving = position !== null;
    if (this.moving) requestAnimationFrame(() => this.draw());
  }

  /**
   * "6.3.02": bar, beat, 16th.
   * @param {number} position
   */
  placeText(position) {
    if (this.player.mode === "song") {
      const { bar, beat } = this.page.plan.place(position);
      return `${bar + 1}.${Math.floor(beat) + 1}.0${Math.floor((beat % 1) * 4) + 1}`;
    }
    const facts = this.player.mode === "loop" ? this.player.loop : this.player.stack;
    const beat = position / facts.beat_s;
    return `${Math.floor(beat / facts.beats) + 1}.${Math.floor(beat % facts.beats) + 1}.0${Math.floor((beat % 1) * 4) + 1}`;
  }
}
