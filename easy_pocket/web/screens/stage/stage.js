// The Stage: sounds on a floor, the chain of one place beside it, and the whole measured as it is heard.

import { byId } from "../../shared/dom.js";
import { Drags } from "../../shared/drags.js";
import { nameInPlace } from "../../shared/name_in_place.js";
import { showNote, speak } from "../../shared/notes.js";
import { Screen } from "../../shared/screen.js";
import { Floor } from "./floor.js";
import { Crowd } from "./crowd.js";
import { Early } from "./early.js";
import { Print } from "./print.js";
import { Without } from "./without.js";
import { Whole } from "./whole.js";
import { addTips } from "../../shared/tip.js";
import { TIPS } from "./tips.js";

addTips(TIPS);

const COPIED = "easy-pocket-chain";
const LEVEL_STEP_DB = 0.5;

export default class Stage extends Screen {
  /** @param {import("../../shared/page.js").Page} page */
  constructor(page) {
    super(page);
    this.edits = page.edits;
    /** @type {Promise<unknown> | null} */
    this.looking = null;
    /** @type {string | null} */
    this.wanted = null; // chosen, its chain still on its way
    this.floor = new Floor(this);
    this.whole = new Whole(this);
    this.crowd = new Crowd(this);
    this.without = new Without(this);
    this.print = new Print(this);
    this.early = new Early(this);
    this.drags = new Drags((/** @type {any} */ drag, /** @type {number} */ value, /** @type {string | null} */ gesture) => this.mounted && this.dragged(drag, value, gesture), "stage");
    this.on("click", (event) => this.click(event));
    this.on("change", (event) => this.change(event));
    this.on("input", (event) => event.target.dataset?.level && this.level(event.target.dataset.level, Number(event.target.value), event.target, "level"));
  }

  get box() {
    return document.querySelector("[data-stage]");
  }

  get work() {
    return byId("stage-floor");
  }

  get place() {
    return document.querySelector("[data-chain]")?.dataset.chain ?? "";
  }

  /** @returns {any} the room the height of the floor stands for */
  get room() {
    return this.page.view.room ?? "short";
  }

  /** @returns {Piece | null} the chosen sound on the floor */
  get chosen() {
    return document.querySelector(".sound.sel");
  }

  mount() {
    this.page.view.place ??= "";
    this.whole.mount();
    if (this.page.view.place && this.page.view.place !== this.place) this.page.refresh();
  }

  unmount() {
    this.without.end();
    this.early.end();
    this.crowd.end();
    this.whole.unmount();
  }

  /** @param {any} answer */
  apply({ state }) {
    const { view } = this.page;
    if (state.data && view.place === state.data.asked) view.place = state.data.place; // else another one was chosen meanwhile
    this.whole.later();
  }

  /**
   * @param {string} _id
   * @param {Piece} target
   */
  holds(_id, target) {
    return Boolean((this.drags.busy && target.id === "stage-side") || (this.floor.drag && target.id === "stage-floor") || target.querySelector("input.typing"));
  }

  letGo() {
    return this.floor.letGo() || this.drags.letGo();
  }

  needle(/** @type {number | null} */ position) {
    this.whole.needle(position);
    this.floor.strike();
  }

  /**
   * @param {import("../../shared/shapes").Edit} edit
   * @param {any} near
   * @param {string | null} [gesture]
   */
  push(edit, near, gesture = null) {
    return this.edits.push(edit, { near, gesture });
  }

  /** @param {string} where */
  choose(where) {
    if (where === this.place) return;
    for (const sound of document.querySelectorAll(".sound")) sound.classList.toggle("sel", sound.dataset.where === where);
    // What is pressed before the other chain is there is meant for that one.
    this.wanted = where;
    const looking = this.page.look({ place: where }).finally(() => this.looking === looking && (this.looking = this.wanted = null));
    this.looking = looking;
  }

  /** @returns {number | null} the section that what is set is set for; null: the song */
  get section() {
    return this.page.view.placed === "section" ? Number(document.querySelector("[data-set-for]")?.dataset.setFor ?? 0) || null : null;
  }

  // The chain ----------------------------------------------------------------------------------------------------------
  // Units as they stand in the chain that is shown.
  get chain() {
    return JSON.parse(byId("stage-chain").textContent ?? "[]");
  }

  /**
   * @param {any[]} chain
   * @param {any} near
   */
  setChain(chain, near) {
    return this.place.startsWith("kit:") ? this.kitChain(this.place, chain, near) : this.push({ kind: "stage_chain", where: this.place, chain }, near);
  }

  /**
   * The chain a voice has from its kit.
   * @param {string} place
   * @param {any[]} chain
   * @param {any} near
   * @param {string | null} [gesture]
   */
  kitChain(place, chain, near, gesture = null) {
    const [, part, role] = place.split(":");
    if (place === this.place) byId("stage-chain").textContent = JSON.stringify(chain);
    return this.push({ kind: "kit_chain", part_id: Number(part), role, chain }, near, gesture);
  }

  /**
   * Settings of a unit, or whether it is on.
   * @param {number} at
   * @param {{ settings?: Record<string, any>, on?: boolean }} change
   * @param {any} near
   * @param {string | null} [gesture]
   */
  setUnit(at, change, near, gesture = null) {
    const where = this.place;
    if (!where.startsWith("kit:")) {
      const section = change.on === undefined ? {} : { section_id: this.section };
      this.push({ kind: "stage_unit", where, at, ...change, ...section }, near, gesture);
      return;
    }
    const chain = this.chain;
    const { settings = {}, ...rest } = change;
    chain[at] = { ...chain[at], ...rest, settings: { ...chain[at].settings, ...settings } };
    this.kitChain(where, chain, near, gesture);
  }

  /**
   * A unit as it is now with these settings, before the edit is answered.
   * @param {number} at
   * @param {Record<string, any>} settings
   */
  hearUnit(at, settings) {
    const unit = this.chain[at];
    const before = Number(document.querySelector("[data-chain]")?.dataset.before ?? 0);
    const among = this.chain.slice(0, at).filter((/** @type {any} */ one) => one.on !== false).length;
    if (!unit || unit.on === false || this.place.startsWith("kit:") || !this.page.player.running) return;
    this.edits.behind(this.early.hear(this.place, among + before, { kind: unit.kind, settings: { ...unit.settings, ...settings } }));
  }

  /**
   * @param {any} drag
   * @param {number} value
   * @param {string | null} gesture
   */
  dragged(drag, value, gesture) {
    const [what, at] = drag.dataset.drag.split(":");
    const { field } = drag.dataset;
    const where = this.place;
    if (what === "unit") {
      this.hearUnit(Number(at), { [field]: value });
      this.setUnit(Number(at), { settings: { [field]: value } }, drag, gesture);
      return;
    }
    /** @type {Record<string, any>} */
    const edits = {
      send: { kind: "stage_send", where, to: field, percent: value, section_id: this.section },
      return: { kind: "stage_return", name: where, settings: { [field]: value } },
      ceiling: { kind: "stage_ceiling", ceiling_db: value },
    };
    this.push(edits[what], drag, gesture);
  }

  /**
   * @param {string} where
   * @param {number} level_db
   * @param {any} near
   * @param {string} gesture
   */
  level(where, level_db, near, gesture) {
    const [, id, voice] = where.split(":");
    const value = Math.max(-60, Math.min(12, level_db));
    /** @type {any} */
    let edit = voice ? { kind: "mix", part_id: Number(id), voice, field: "level_db", value } : { kind: "layered_loop_set", loop_id: Number(id), field: "level_db", value };
    if (this.section) edit = { kind: "stage_level", where, section_id: this.section, level_db: value };
    this.push(edit, near, `${gesture} ${where}`);
  }

  /** @param {"mute" | "solo"} field */
  toggleMix(field) {
    const button = document.querySelector(`#stage-side [data-mix="${field}"]`);
    const [, part, voice] = this.place.split(":");
    if (button && voice) this.push({ kind: "mix", part_id: Number(part), voice, field, value: button.getAttribute("aria-pressed") !== "true" }, button);
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button, [role='tab']");
    if (!button || !this.box) return;
    const { dataset } = button;
    if (button.matches("#stage-scopes a")) event.preventDefault();
    const unit = button.closest("[data-unit]");
    if (unit) this.unitButton(button, Number(unit.dataset.unit));
    else if (dataset.where) this.choose(dataset.where);
    else if (dataset.room) this.page.look({ room: dataset.room });
    else if (dataset.unitAdd) this.add(dataset.unitAdd);
    else if (dataset.placed) this.page.look({ placed: dataset.placed });
    else if (dataset.sectionClear !== undefined) this.push({ kind: "stage_section_clear", section_id: this.section ?? 0, where: this.place }, button);
    else if (dataset.setting) this.setting(button);
    else if (dataset.size) this.push({ kind: "stage_return", name: /** @type {any} */ (this.place), settings: { size: dataset.size } }, button);
    else if (dataset.stageOn !== undefined) this.push({ kind: "stage_on", on: button.getAttribute("aria-pressed") !== "true" }, button);
    else if (dataset.mix && button.closest("#stage-side")) this.toggleMix(/** @type {any} */ (dataset.mix));
    else if (dataset.groupMake !== undefined || dataset.groupAway !== undefined) this.group(button, dataset.groupAway !== undefined);
    else if (dataset.chainCopy !== undefined) this.copy(button);
    else if (dataset.chainPut !== undefined) this.put(button);
    else if (dataset.without !== undefined) this.without.toggle(dataset.without);
  }

  /** @param {string} kind */
  add(kind) {
    const where = this.wanted ?? this.place;
    if (!where.startsWith("kit:")) this.push({ kind: "stage_add", where, unit: { kind } }, byId("stage-side"));
    else if (where === this.place) this.kitChain(where, [...this.chain, { kind }], byId("stage-side"));
  }

  /**
   * @param {Piece} button
   * @param {number} at
   */
  unitButton(button, at) {
    const { dataset } = button;
    if (this.looking) return; // it is of the chain that is going
    const chain = this.chain;
    if (dataset.unitOn !== undefined) this.setUnit(at, { on: button.getAttribute("aria-pressed") !== "true" }, button);
    else if (dataset.unitAway !== undefined) this.setChain(without(chain, at), button);
    else if (dataset.unitMove) {
      const to = at + Number(dataset.unitMove);
      const rest = without(chain, at);
      this.setChain([...rest.slice(0, to), chain[at], ...rest.slice(to)], button);
    }
  }

  /** @param {Piece} button */
  setting(button) {
    const shown = button.getAttribute("aria-pressed") === "true";
    if (!shown) this.push({ kind: "stage_settings", to: /** @type {any} */ (button.dataset.setting) }, button);
    else this.nameSetting(button);
  }

  // The settings that are heard get a name where they stand.
  /** @param {Piece} button */
  nameSetting(button) {
    const how = { label: "Name of these settings", most: 24, className: "setting-name" };
    nameInPlace(button, how, (name) => this.push({ kind: "stage_settings", to: /** @type {any} */ (button.dataset.setting), name }, button));
  }

  /**
   * @param {Piece} button
   * @param {boolean} away
   */
  group(button, away) {
    const box = button.closest(".stage-group");
    const members = away ? [] : [...box.querySelectorAll("input:checked")].map((one) => one.value);
    const key = this.place.startsWith("group:") ? this.place.slice("group:".length) : "";
    if (!members.length && !away) {
      showNote("A group of nothing cannot be made: tick the sounds that are to be in it.", { near: button, wrong: true });
      return;
    }
    const name = byId("group-name").value.trim() || "group";
    if (!away) this.page.view.place = members[0];
    this.push({ kind: "stage_group", key, name, members }, button);
    byId("stage-tools").querySelector("[x-bind\\:aria-expanded]")?.getAttribute("aria-expanded") === "true" && byId("stage-tools").querySelector("[x-bind\\:aria-expanded]").click();
  }

  /** @param {Piece} near */
  copy(near) {
    localStorage.setItem(COPIED, JSON.stringify(this.chain));
    showNote("The chain is kept: choose another sound and put it there.", { near });
  }

  /** @param {Piece} near */
  put(near) {
    const kept = localStorage.getItem(COPIED);
    if (kept) this.setChain(JSON.parse(kept), near);
    else showNote("No chain was copied yet: press copy on one first.", { near, wrong: true });
  }

  /** @param {PageEvent} event */
  change(event) {
    const { target } = event;
    if (!this.box) return;
    if (target.dataset?.preset !== undefined && target.value) {
      this.setChain(JSON.parse(target.value), target);
      target.value = "";
    }
    const unit = target.closest?.("[data-unit]");
    const field = target.dataset?.unitChoice ?? target.dataset?.unitText;
    if (unit && field) this.setUnit(Number(unit.dataset.unit), { settings: { [field]: target.value } }, target);
  }

  // Keys ---------------------------------------------------------------------------------------------------------------
  /** @param {number} by */
  step(by) {
    const all = [...document.querySelectorAll(".level-name")].map((one) => one.dataset.where);
    const at = all.indexOf(this.place);
    const next = all[(at + by + all.length) % all.length];
    if (!next) return;
    this.choose(next);
    const sound = document.querySelector(`.sound[data-where="${next}"]`);
    speak(sound?.getAttribute("aria-label") ?? "");
  }

  /** @param {number} by_db */
  louder(by_db) {
    const sound = this.chosen;
    if (sound) this.level(sound.dataset.where, Number(sound.dataset.level) + by_db, this.work, "keys");
    if (sound) sound.dataset.level = `${Number(sound.dataset.level) + by_db}`;
  }

  get keys() {
    return [
      { keys: "n", words: "the next sound", run: () => this.step(1) ?? true },
      { keys: "p", words: "the sound before", run: () => this.step(-1) ?? true },
      { keys: "ArrowLeft Shift+ArrowLeft ArrowRight Shift+ArrowRight", shows: "← →", words: "pan, with Shift finely", run: (/** @type {PageEvent} */ event) => this.floor.nudge((event.key === "ArrowLeft" ? -1 : 1) * (event.shiftKey ? 0.01 : 0.05), 0) },
      { keys: "ArrowUp Shift+ArrowUp ArrowDown Shift+ArrowDown", shows: "↑ ↓", words: "more or less room, with Shift finely", run: (/** @type {PageEvent} */ event) => this.floor.nudge(0, (event.key === "ArrowDown" ? -1 : 1) * (event.shiftKey ? 1 : 5)) },
      { keys: "+ =", shows: "+ −", words: "level", run: () => this.louder(LEVEL_STEP_DB) ?? true },
      { keys: "- −", run: () => this.louder(-LEVEL_STEP_DB) ?? true },
      { keys: "m", words: "mute", run: () => this.toggleMix("mute") ?? true },
      { keys: "s", words: "hear it alone", run: () => this.toggleMix("solo") ?? true },
      { keys: "b", words: "held: without the Stage, as loud", run: () => this.without.hold("all") },
      { keys: "v", words: "held: without this chain", run: () => this.without.hold("chain") },
    ];
  }

  get places() {
    return [
      { key: "c", words: "the chain", go: () => byId("stage-side").querySelector(".knot, [data-unit-add]")?.focus() },
      { key: "l", words: "the levels", go: () => byId("stage-levels").querySelector(".sel .level-name, .level-name")?.focus() },
    ];
  }
}

/**
 * A chain with one of its units left out.
 * @param {any[]} chain
 * @param {number} at
 */
const without = (chain, at) => chain.filter((_, place) => place !== at);
