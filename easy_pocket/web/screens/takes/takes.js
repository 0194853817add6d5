// Takes: play it in over the loop that goes round, keep every pass, sew the best bars together, write the result in.

import { AudioClock } from "../../shared/audio_clock.js";
import { byId } from "../../shared/dom.js";
import { isPressedBySpace } from "../../shared/keys.js";
import { speak } from "../../shared/notes.js";
import { Screen } from "../../shared/screen.js";
import { Armed } from "./armed.js";
import { DeviceList } from "./device_list.js";
import { GuideCard } from "./guide_card.js";
import { HandCard } from "./hand_card.js";
import { Hearing } from "./hearing.js";
import { KeptPlayed } from "./kept_played.js";
import { Latency } from "./latency.js";
import { MicPasses } from "./mic_passes.js";
import { MidiIn } from "./midi_in.js";
import { Pads } from "./pads.js";
import { PassKeeper } from "./pass_keeper.js";
import { PassesPicture } from "./passes_picture.js";
import { QuayPads } from "./quay_pads.js";
import { Sewing, press } from "./sewing.js";
import { Striker } from "./striker.js";
import { addTips } from "../../shared/tip.js";
import { TIPS } from "./tips.js";

addTips(TIPS);

const KEPT = "easy-pocket-takes";

export default class Takes extends Screen {
  /** @param {import("../../shared/page.js").Page} page */
  constructor(page) {
    super(page);
    this.edits = page.edits;
    /** @type {import("../../shared/shapes").TakesData | null} */
    this.data = null;
    this.settings = { mode: "new", pull_percent: 0, ...JSON.parse(localStorage.getItem(KEPT) ?? "{}") };
    this.goesRound = "";
    /** @type {symbol | null} */
    this.beginning = null; // a play in that was pressed and does not sound yet
    this.armed = new Armed(this);
    this.hearing = new Hearing(this);
    this.clock = new AudioClock(page.player);
    this.striker = new Striker(page.player);
    this.latency = new Latency(this);
    this.pads = new Pads(this);
    this.keeper = new PassKeeper(this);
    this.kept = new KeptPlayed(this);
    this.picture = new PassesPicture(this);
    this.midi = new MidiIn(this);
    this.quay = new QuayPads(this);
    this.mic = new MicPasses(this);
    this.devices = new DeviceList(this);
    this.hand = new HandCard(this);
    this.sewing = new Sewing(this);
    this.guide = new GuideCard(this);
    this.on("click", (event) => this.click(event));
    this.on("change", (event) => this.change(event));
    this.on("input", (event) => this.input(event));
    this.on("scroll", (event) => event.target.id === "takes-passes" && this.picture.drawPasses(), { capture: true });
    window.addEventListener("pagehide", () => this.keeper.on && this.keeper.finish()); // what waits is sent by the next page
    window.addEventListener("resize", () => this.mounted && this.redraw());
    window.addEventListener("focusin", (event) => this.mounted && /** @type {any} */ (event).target.id === "takes-passes" && this.picture.later());
  }

  get work() {
    return byId("takes-passes");
  }

  get song() {
    return this.page.song.id;
  }

  // What goes round: where it begins in the pattern, and how long it is.
  get span() {
    const bar = this.data?.bar_ticks ?? 3840;
    const chosen = document.getElementById("goes-round") ? byId("goes-round").value : this.goesRound || "1:1";
    if (chosen === "song") return { start_tick: 0, length_ticks: bar, whole: true, section: 0, song: true };
    if (chosen.startsWith("s:")) {
      const section = Number(chosen.slice(2));
      return { start_tick: 0, length_ticks: this.data?.sections[section] ?? bar, whole: true, section, song: false };
    }
    const [first, count] = chosen.split(":").map(Number);
    const pattern = this.data?.pattern_ticks ?? bar;
    const start_tick = (first - 1) * bar;
    const whole = first === 1 && count === Math.max(1, Math.round(pattern / bar));
    return { start_tick, length_ticks: whole ? pattern : count * bar, whole: whole || count * bar > pattern, section: 0, song: false };
  }

  mount() {
    this.page.view.take ??= 0;
    this.clock.start();
    this.keeper.watch(true);
    const { player } = this.page;
    if (player.mode !== "stack" && !player.running) player.mode = "stack";
    this.picture.cursor ??= { row: 0, bar: 0 };
    this.take(JSON.parse(byId("takes-data").textContent ?? "null"));
    this.goOnWith();
    this.hand.draw();
    this.showSettings();
    this.latency.show();
    this.kept.show();
    this.showDevices();
    this.setSpan();
  }

  // What goes round is what the take was played over, unless something else was chosen.
  goOnWith() {
    const take = this.data?.take;
    const field = byId("goes-round");
    const bar = this.data?.bar_ticks ?? 3840;
    const wanted = this.goesRound || (take ? (take.song ? "song" : take.section ? `s:${take.section}` : `${take.start_tick / bar + 1}:${take.length_ticks / bar}`) : "");
    if (wanted && field.querySelector(`[value="${wanted}"]`)) field.value = wanted;
  }

  unmount() {
    if (this.keeper.on) this.keeper.finish(); // the loop goes on
    this.keeper.watch(false);
    this.clock.stop();
    if (this.quay.on) this.quay.toggle();
    if (this.mic.tape) this.mic.close();
    this.pads.letters = true; // on coming back
    this.beginning = null;
    this.hearing.end();
    this.page.player.setSpan(null);
  }

  /** @param {import("../../shared/shapes").TakesData} data */
  take(data) {
    const first = !this.data || this.data.kit !== data.kit || this.data.part !== data.part;
    this.data = data;
    this.striker.setPads(data.pads);
    this.midi.notes = data.notes;
    if (first || !byId("pads").childElementCount) this.pads.show(data);
    if (first) this.armed.resting = new Set();
    this.armed.show();
    this.redraw();
  }

  /** @param {any} answer */
  apply({ state }) {
    if (state.data) this.take(state.data);
    if (this.goesRound && byId("goes-round").querySelector(`[value="${this.goesRound}"]`)) byId("goes-round").value = this.goesRound;
    this.hand.draw();
    this.hand.link();
    this.showTimes();
    this.hearing.show();
    this.kept.addGoing();
    this.setSpan();
    this.hearing.follow();
  }

  /**
   * @param {string} id
   * @param {Piece} target
   */
  holds(id, target) {
    return Boolean((this.picture.marked && id === "takes-passes") || target.querySelector("input:focus, select:focus"));
  }

  redraw() {
    this.picture.draw();
    this.latency.draw();
    for (const head of document.querySelectorAll(".pad-head")) this.pads.drawSizes(head);
    this.hand.link();
  }

  // Striking ----------------------------------------------------------------------------------------------------------
  /**
   * Something was struck, on whatever: it sounds at once, and is remembered.
   * @param {string} voice
   * @param {number} velocity
   * @param {number} ms when, by the page's clock
   * @param {string} source
   */
  struck(voice, velocity, ms, source) {
    if (!this.mounted) return;
    if (this.latency.tap(ms, source)) return;
    const { player } = this.page;
    const other = this.pads.otherOf(voice);
    if (player.stage) this.striker.strike(voice, velocity, ms, other);
    else player.ready().then(() => this.striker.fetch()).then(() => this.striker.strike(voice, velocity, performance.now(), other));
    this.keeper.take(voice, velocity, ms, source, other);
    this.pads.light(voice, velocity);
    this.devices.flash(source);
  }

  /**
   * One time round becomes an edit; while the server is away it waits in the page.
   * @param {any} round
   * @param {import("./pass_keeper.js").Row[]} hits
   * @param {string} source
   * @param {boolean} last
   */
  keepPass(round, hits, source, last) {
    const { mode, pull_percent } = this.settings;
    const { from_bar, to_bar } = this.armed.punched;
    const how = { hits, mode, source: source.slice(0, 40), last, pull_percent, from_bar, to_bar };
    if (!this.armed.reaches(round, hits)) return null;
    const near = byId("play-in");
    if (round.song) return this.edits.push({ kind: "take_song_pass", length_ms: round.length_s * 1000, ...how }, { near });
    const { start_tick, length_ticks, tempo_bpm, section: section_id = 0 } = round;
    return this.edits.push({ kind: "take_pass", start_tick, length_ticks, tempo_bpm, section_id, ...how }, { near });
  }

  /** @param {boolean} [joins] while the loop goes round already: what is played from now on is kept */
  async togglePlayIn(joins = false) {
    const { keeper } = this;
    if (this.beginning || keeper.on || (this.page.player.running && !joins)) {
      this.beginning = null; // pressed again while the sounds come in: it does not begin
      keeper.stop();
      return;
    }
    const mine = Symbol("begin");
    this.beginning = mine;
    this.hearing.end();
    this.setSpan();
    await this.page.player.ready();
    if (this.quay.on) await this.quay.learn();
    const section = await this.sectionSpan();
    if (this.beginning !== mine) return;
    await keeper.start(section, () => this.beginning === mine);
    if (this.beginning === mine) this.beginning = null;
    this.striker.fetch(); // after what plays anyway; each is asked for once
  }

  // Where in the song the section lies that goes round, once through, or the whole of it; null: the pattern goes round.
  async sectionSpan() {
    const { section, song: whole } = this.span;
    if (!section && !whole) return null;
    const song = await this.page.plan.ready();
    if (whole) return song && { from_s: 0, to_s: song.length_s, whole };
    return song?.spans.find((/** @type {any} */ span) => span.section === section) ?? null;
  }

  playingChanged() {
    if (!this.page.player.running) byId("takes-needle").hidden = true;
  }

  setSpan() {
    const { player } = this.page;
    const { start_tick, length_ticks, whole } = this.span;
    const tick_s = (this.data?.tick_ms ?? 0.6) / 1000;
    player.setSpan(whole ? null : { from_s: start_tick * tick_s, to_s: (start_tick + length_ticks) * tick_s });
  }

  // What is shown ------------------------------------------------------------------------------------------------------
  showSettings() {
    for (const button of document.querySelectorAll("[data-mode]")) press(button, button.dataset.mode === this.settings.mode);
    byId("pull-in").value = `${this.settings.pull_percent}`;
    byId("pull-in-words").textContent = `${this.settings.pull_percent} %`;
    this.showClick();
    this.showTimes();
  }

  showClick() {
    const click = this.page.player.click;
    if (!click) return;
    const { on, when, count_in } = click.settings;
    for (const button of document.querySelectorAll("[data-count-in]")) press(button, Number(button.dataset.countIn) === Number(count_in));
    for (const button of document.querySelectorAll("[data-click-when]")) press(button, button.dataset.clickWhen === (on ? when : "off"));
  }

  showTimes() {
    for (const button of document.querySelectorAll("[data-times]")) press(button, Number(button.dataset.times) === this.picture.times);
  }

  showDevices() {
    if (this.mounted && document.getElementById("playing-from")) this.devices.show();
  }

  /** @param {number | null} position */
  needle(position) {
    const needle = byId("takes-needle");
    const { take } = this.data ?? {};
    const lane = document.getElementById("passes-picture");
    const round = this.keeper.now();
    if (position === null || !lane || !needle) return;
    const tick = position / ((this.data?.tick_ms ?? 1) / 1000);
    const length = take ? take.length_ticks : this.span.length_ticks;
    const start = take ? take.start_tick : this.span.start_tick;
    let share = (tick - start) / length;
    if (round?.song) share = this.page.plan.shareOf(take?.section ?? 0, position);
    else if (round && round.length_ticks === length) share = (((this.page.player.now - this.clock.way_s - round.anchor) / round.length_s) % 1 + 1) % 1;
    needle.hidden = share < 0 || share > 1;
    needle.style.left = `${lane.offsetLeft + share * lane.clientWidth}px`;
    const gone = round ? (((this.page.player.now - this.clock.way_s - round.anchor) / round.length_s) % 1 + 1) % 1 : 0;
    if (round) document.querySelector(".pin .gone").style.strokeDasharray = `${(gone * 100).toFixed(1)} 100`;
    if (this.keeper.on) this.picture.drawGoing();
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (!button) return;
    const { dataset } = button;
    const take = this.data?.take;
    const click = this.page.player.click;
    if (button.id === "play-in") this.togglePlayIn(true);
    else if (button.id === "keep-played") this.kept.keep();
    else if (button.id === "change-voices") this.pads.toggleChange();
    else if (button.id === "latency-measure") this.latency.toggle();
    else if (dataset.mode) this.set({ mode: dataset.mode });
    else if (dataset.countIn !== undefined) click?.set("count_in", Number(dataset.countIn));
    else if (dataset.clickWhen) click?.setWhen(dataset.clickWhen);
    else if (dataset.times) this.picture.times = Number(dataset.times);
    else if (dataset.hear !== undefined) this.hearing.toggle(Number(dataset.hear), event.shiftKey);
    else if (dataset.source) this.devices.choose(dataset.source);
    else if (take) this.clickTake(button, take);
    if (button.closest(".hand-card")) this.hand.click(button);
    if (dataset.mode || dataset.countIn !== undefined || dataset.clickWhen || dataset.times) this.showSettings();
    if (dataset.times) this.picture.later();
  }

  /**
   * @param {Piece} button
   * @param {import("../../shared/shapes").TakeData} take
   */
  clickTake(button, take) {
    const { dataset } = button;
    const [near, take_id] = [button, take.id];
    if (button.id === "steadiest") this.sewing.steadiest(take, near);
    else if (button.id === "write-in") this.sewing.write("pattern", near);
    else if (dataset.writeSong !== undefined) this.edits.push({ kind: "take_song_write", take_id }, { near });
    else if (dataset.write) this.sewing.write(/** @type {any} */ (dataset.write), near);
    else if (dataset.away) this.edits.push({ kind: "take_pass_away", take_id, pass_id: Number(dataset.away) }, { near });
    else if (dataset.takeAway !== undefined) this.edits.push({ kind: "take_away", take_id }, { near });
    else if (dataset.grid) this.edits.push({ kind: "take_set", take_id, step_ticks: Number(dataset.grid) }, { near });
    else if (dataset.pulled) this.sewing.pull(dataset.pulled, near);
    else if (dataset.namePass) this.sewing.nameIt(button, take_id);
  }

  /** @param {any} change */
  set(change) {
    this.settings = { ...this.settings, ...change };
    localStorage.setItem(KEPT, JSON.stringify(this.settings));
  }

  /** @param {PageEvent} event */
  change(event) {
    const { target } = event;
    const take = this.data?.take;
    if (target.id === "goes-round") {
      this.goesRound = target.value;
      this.setSpan();
      this.picture.later();
    } else if (target.id === "which-take") this.page.look({ take: Number(target.value) });
    else if (target.id === "which-hand") this.hand.link();
    else if (target.id === "hand-bring") this.hand.bring(target);
    else if (target.id === "latency-typed") this.latency.type(Number(target.value));
    else if (target.dataset.punch) this.armed.punch(target.dataset.punch, Number(target.value));
    else if (target.dataset.armed) this.armed.arm(target.dataset.armed, target.checked);
    else if (target.dataset.device) this.devices.change(target);
    else if (take && target.id === "take-grid") this.edits.push({ kind: "take_set", take_id: take.id, step_ticks: Number(target.value) }, { near: target });
    else if (take && target.id === "take-bounce") this.edits.push({ kind: "take_set", take_id: take.id, bounce_ms: Number(target.value) }, { near: target });
  }

  /** @param {PageEvent} event */
  input(event) {
    const { target } = event;
    if (target.id === "pull-in") {
      this.set({ pull_percent: Number(target.value) });
      byId("pull-in-words").textContent = `${target.value} %`;
    }
    const take = this.data?.take;
    if (target.id !== "result-pull" || !take) return;
    byId("result-pull-words").textContent = `${target.value} %`;
    const voices = [...document.querySelectorAll("[data-pulled].on")].map((one) => one.dataset.pulled);
    const pulls = Object.fromEntries(voices.map((voice) => [voice, Number(target.value)]));
    this.edits.push({ kind: "take_set", take_id: take.id, pulls }, { near: target, gesture: `pull ${take.id}` });
  }

  letGo() {
    return this.sewing.letGo() || this.guide.letGo();
  }

  // Keys ---------------------------------------------------------------------------------------------------------------
  /** @param {boolean} strike */
  setLetters(strike) {
    this.pads.letters = strike;
    this.showDevices();
    speak(strike ? "Letters strike" : "Letters are shortcuts");
    return true;
  }

  get keys() {
    const atWork = () => document.activeElement === this.work;
    return [
      { keys: "Space", words: "play in, stop", run: (/** @type {PageEvent} */ event) => (isPressedBySpace(event.target, this.page.whose.byTab) ? false : void this.togglePlayIn()) },
      { keys: "ArrowUp ArrowDown", shows: "↑ ↓", words: "another pass", when: atWork, run: (/** @type {PageEvent} */ event) => this.sewing.step(event.key === "ArrowUp" ? -1 : 1, 0) },
      { keys: "ArrowLeft ArrowRight", shows: "← →", words: "another bar", when: atWork, run: (/** @type {PageEvent} */ event) => this.sewing.step(0, event.key === "ArrowLeft" ? -1 : 1) },
      { keys: "Enter", words: "sew the bar in", when: atWork, run: () => (this.sewing.pass ? void this.sewing.sew(this.sewing.pass, this.picture.cursor?.bar ?? 0, this.picture.cursor?.bar ?? 0) : false) },
      { keys: "Shift+Enter", words: "keep what I just played", run: () => void this.kept.keep() },
      { keys: "Escape", words: "letters are shortcuts again", when: () => this.pads.letters, run: () => this.setLetters(false) },
      { keys: "Delete", words: "throw the pass away", when: atWork, run: () => (this.sewing.pass ? void this.edits.push({ kind: "take_pass_away", take_id: this.data?.take?.id ?? 0, pass_id: this.sewing.pass }, { near: this.work }) : false) },
    ];
  }
}
