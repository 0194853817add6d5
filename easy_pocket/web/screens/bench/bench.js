// The Bench: rails, what stands beside them, and what is remembered.

import { byId, focusWhenShown } from "../../shared/dom.js";
import { selection } from "../../shared/selection.js";
import { Screen } from "../../shared/screen.js";
import { Drawer } from "./drawer.js";
import { FeelControls } from "./feel_controls.js";
import { History } from "./history.js";
import { lean } from "./rail_buttons.js";
import { Rails } from "./rails.js";
import { RowTools } from "./row_tools.js";
import { Side } from "./side.js";
import { addTips } from "../../shared/tip.js";
import { TIPS } from "./tips.js";

addTips(TIPS);

const STILL = window.matchMedia("(prefers-reduced-motion: reduce)");
const STEERED_NEEDLE_MS = 60; // while a slider is dragged the frames are for what it moves

export default class Bench extends Screen {
  /** @type {any} */
  history;
  /** @type {any} */
  rails;
  /** @type {any} */
  needleAt;
  /** @param {import("../../shared/page.js").Page} page */
  constructor(page) {
    super(page);
    this.rails = new Rails(page.edits, page, this);
    this.feel = new FeelControls(this);
    this.side = new Side(this);
    this.drawer = new Drawer(this.rails);
    this.rowTools = new RowTools(page.edits, this.rails);
    this.history = new History(page, this.rails);
  }

  get work() {
    return byId("rail-rows");
  }

  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get keys() {
    return [...this.history.keys, ...this.side.keys, ...this.drawer.keys, ...this.rails.keys.rows];
  }

  mount() {
    this.history.close();
    this.rails.drawnAt = null;
    this.rails.arrive();
    this.drawer.show();
    this.side.arrive();
    if (this.left) this.page.refresh(); // the song may have changed on another screen
    this.left = false;
  }

  unmount() {
    this.history.close();
    this.left = true;
  }

  /** @param {any} options */
  apply({ state }) {
    if (state.data && !this.rails.busy) this.rails.take(state.data);
    if (!state.data?.whole) return;
    this.rails.showMode();
    this.rails.chooseBars(this.rails.bars);
  }

  /** @param {any} options */
  follow({ item, more }) {
    if (this.rails.box) this.rails.later();
    if (item.edit?.kind === "write") this.page.sound(item.edit.voice);
    if (more) return;
    this.side.follow();
    this.history.follow();
  }

  /**
   * @param {any} id
   * @param {Piece} target
   */
  holds(id, target) {
    if (id === "feel") return this.feel.steering || Boolean(document.activeElement?.matches?.('#feel input[type="range"]:active, #feel .typed'));
    if (id === "rails") return this.rails.busy;
    const level = document.activeElement?.matches?.("input.level:active, input.pan:active");
    return Boolean(level && target.contains(document.activeElement));
  }

  closeOpened() {
    return this.rowTools.close() || this.history.leave();
  }

  /** @returns {import("../../shared/go_to.js").Place[]} */
  get places() {
    const tab = (/** @type {string} */ name, /** @type {string} */ within) => {
      this.side.box.querySelector(`[data-tab="${name}"]`).click();
      focusWhenShown(() => this.side.box.querySelector(within));
    };
    const row = () => document.querySelector(`#rail-${this.rails.cursor?.voice ?? this.rails.voices()[0]} [data-row-tools]`);
    return [
      { key: "s", words: "the swing", go: () => tab("feel", "#feel-swing_percent") },
      { key: "g", words: "the groove", go: () => tab("feel", "[data-groove-open]") },
      { key: "t", words: "Tighten", go: () => tab("tighten", "#tighten-strength") },
      { key: "p", words: "the pocket", go: () => tab("pocket", "select, button") },
      { key: "f", words: "follow the needle, or not", go: () => this.rails.setFollows(!this.rails.follows) },
      { key: "r", words: "tools of the row", go: () => row()?.click() },
      { key: "d", words: "the drawer", go: () => this.openDrawer() },
      { key: "n", words: "the bars before", go: () => this.rails.keys.go("PageUp") },
      { key: "m", words: "the bars after", go: () => this.rails.keys.go("PageDown") },
      { key: "l", words: "lines", go: () => this.history.show("lines").then(() => byId("line-list").focus()) },
      { key: "k", words: "snapshots", go: () => this.history.show("snapshots").then(() => byId("snapshot-name").focus()) },
    ];
  }

  openDrawer() {
    this.drawer.set(true);
    focusWhenShown(() => byId("detail-value"));
  }

  letGo() {
    return this.drawer.letGo() || this.rails.detail.letGo() || this.rails.letGo();
  }

  /**
   * Sliders of the feel, while they are dragged.
   * @param {any} options
   * @param {string} field
   */
  showTried({ leans, note, pocket, playing }, field) {
    const { player } = this.page;
    // Loops under the stack that follow it are rendered anew when the slider is let go, not for every step of the way.
    player.setStack({ ...playing, layered_loops: this.page.playing.layered_loops });
    if (!this.mounted) return;
    if (!this.rails.busy) lean(this.rails, leans);
    const line = byId(`feel-note-${field}`);
    if (line) line.textContent = note;
    if (pocket) byId("pocket").innerHTML = pocket;
  }

  /**
   * @param {any} section
   * @param {boolean} moves
   */
  async showSection(section, moves) {
    if (moves) {
      selection.pattern = 0;
      await this.page.refresh();
    }
    const { rails } = this;
    const count = Math.min(Number(section.dataset.bars), Math.max(1, Math.round(rails.facts.length / rails.facts.bar)));
    const from = Math.floor(rails.facts.start / rails.facts.bar) + 1;
    rails.show((from - 1) * rails.facts.bar, count * rails.facts.bar);
    rails.chooseBars({ from, count });
  }

  /**
   * In the song: where the selected pattern is, or -1 while another one plays.
   * @param {number} position
   */
  songTick(position) {
    const { span, within } = this.page.plan.place(position);
    const { start, cycle, plays } = this.rails.facts;
    if (span.section !== selection.section || !plays) return -1;
    return (within * span.ticks + start) % cycle;
  }

  /** @param {number} position */
  needle(position) {
    const needle = byId("needle");
    const { player } = this.page;
    if (!needle) return;
    if (position === null || player.mode === "loop" || !this.rails.box) {
      if (!needle.hidden) needle.hidden = true;
      return;
    }
    const { msPerTick } = this.rails.facts;
    const stretch = (player.stack ?? this.page.playing).tempo_bpm / this.page.playing.tempo_bpm;
    let tick = player.mode === "song" ? this.songTick(position) : ((position * 1000) / msPerTick) * stretch;
    if (tick >= 0 && player.running) this.rails.goAlong(tick);
    const { start, end } = this.rails.look;
    const rail = this.rails.box.querySelector("canvas.rail");
    needle.hidden = tick < start || tick >= end || !rail;
    const now = performance.now();
    if (needle.hidden || (player.steered && now - this.needleAt < STEERED_NEEDLE_MS)) return;
    this.needleAt = now;
    if (STILL.matches) tick = Math.floor(tick / this.rails.facts.step) * this.rails.facts.step; // it steps from slot to slot
    // On whole pixels: over many bars it moves less than one a frame, and a frame without change costs nothing.
    const x = Math.round(rail.offsetLeft + (rail.clientWidth * this.rails.percent(tick)) / 100);
    if (needle.dataset.x !== `${x}`) needle.style.transform = `translateX(${(needle.dataset.x = String(x))}px)`;
  }
}
