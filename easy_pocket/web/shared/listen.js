// A song that is shared: it is played from start to end, felt or straight, and its plan shows where it is.

import { ask } from "./api.js";
import { byId } from "./dom.js";
import { showNote } from "./notes.js";
import { Player } from "./player.js";
import { placeIn } from "./schedule.js";

class Listen {
  constructor() {
    this.player = new Player();
    this.player.mode = "song";
    this.player.repeats = false;
    /** @type {Map<string, any>} */
    this.told = new Map(); // by timing: what the song plays
    this.timing = "felt";
    this.from_s = 0;
    this.player.addEventListener("change", () => this.show());
    document.addEventListener("click", (event) => this.click(/** @type {Piece | null} */ (event.target.closest?.("button"))));
    document.addEventListener("keydown", (event) => this.key(event));
    this.draw();
  }

  get box() {
    return byId("listen");
  }

  /** @param {PageEvent} event */
  key(event) {
    if (event.key !== " " || event.ctrlKey || event.altKey || event.metaKey) return;
    if (event.target.matches?.("button:focus-visible, summary, a")) return; // Space presses what was reached by Tab
    event.preventDefault();
    this.toggle();
  }

  /** @param {Piece | null} button */
  click(button) {
    if (!button) return;
    if (button.id === "play") this.toggle();
    else if (button.id === "to-start") this.go(0);
    else if (button.id === "felt" || button.id === "straight") this.hear(button.id);
    else if (button.dataset.from) this.go(Number(button.dataset.from), true);
  }

  toggle() {
    if (this.player.running) {
      this.from_s = this.player.position ?? this.from_s;
      this.player.stop();
    } else this.start(this.from_s);
  }

  /** @param {number} from_s */
  async start(from_s) {
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const song = await this.song();
    if (!song || turn !== this.turn) return;
    this.player.setSong(song);
    await this.player.start("song", from_s >= song.length_s - 0.05 ? 0 : from_s);
  }

  async song() {
    if (this.told.has(this.timing)) return this.told.get(this.timing);
    const timing = this.timing;
    const answer = await ask(`/listen/${this.box.dataset.secret}/playing?timing=${timing}`).catch(() => null);
    if (!answer?.ok) {
      const told = await answer?.json().catch(() => null);
      showNote(told?.error ?? "Easy Pocket does not answer just now. Try again in a moment.", { near: byId("play"), wrong: true });
      return null;
    }
    const song = await answer.json();
    this.told.set(timing, song);
    return song;
  }

  /**
   * @param {number} from_s
   * @param {boolean} [always] also when it rests
   */
  go(from_s, always = false) {
    const { running } = this.player;
    this.from_s = from_s;
    if (running) this.player.stop();
    if (running || always) this.start(from_s);
    else this.draw();
  }

  /** @param {string} timing */
  async hear(timing) {
    this.timing = timing;
    for (const name of ["felt", "straight"]) {
      byId(name).classList.toggle("on", name === timing);
      byId(name).setAttribute("aria-pressed", name === timing);
    }
    if (!this.player.running) return;
    const song = await this.song();
    if (song && this.player.running && timing === this.timing) this.player.setSong(song);
  }

  show() {
    const on = this.player.running;
    byId("play").setAttribute("aria-pressed", on);
    byId("play").setAttribute("aria-label", on ? "Stop" : "Play");
    if (on && !this.drawing) this.follow();
  }

  follow() {
    this.drawing = true;
    const frame = () => {
      if (!this.player.running) {
        this.drawing = false;
        return this.draw();
      }
      this.from_s = this.player.position ?? this.from_s;
      this.draw();
      requestAnimationFrame(frame);
    };
    requestAnimationFrame(frame);
  }

  draw() {
    const length_s = Number(this.box.dataset.length);
    const x = `${Math.min(100, (100 * this.from_s) / length_s).toFixed(2)}%`;
    const needle = byId("listen-needle");
    needle.setAttribute("x1", x);
    needle.setAttribute("x2", x);
    const song = this.told.get(this.timing);
    if (!song) return;
    const { bar, share } = placeIn(song, Math.min(this.from_s, song.length_s - 1e-3));
    byId("position").textContent = `${bar + 1}.${Math.floor(share * song.bar_beats[bar]) + 1}`;
  }
}

/** @type {Listen | null} */
let listen = null;

export function mount() {
  listen ??= new Listen();
}

export function unmount() {}
