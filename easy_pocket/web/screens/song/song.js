// The Song screen: parts by sections as cells that are edited in place. What the cells say comes from Python; here they
// are laid out, chosen, dragged and stepped through.

import { selection } from "../../shared/selection.js";
import { showLedger } from "../../shared/notes.js";
import { Screen } from "../../shared/screen.js";
import { SongKeys } from "./song_keys.js";
import { SongMenu } from "./song_menu.js";
import { SongPicture } from "./song_picture.js";
import { SongPointer } from "./song_pointer.js";
import { byId, element } from "../../shared/dom.js";
import { SongStrip } from "./song_strip.js";
import { addPart, partSwitch, addStages, upload } from "./song_buttons.js";
import { addTips } from "../../shared/tip.js";
import { TIPS } from "./tips.js";

addTips(TIPS);

const LEAST_PX = 92; // a section narrower than this would cut its name off

export default class Song extends Screen {
  /** @type {any} */
  drawn;
  /** @type {any} */
  dragging;
  /** @type {any} */
  span;
  /** @type {any} */
  menu;
  /** @param {import("../../shared/page.js").Page} page */
  constructor(page) {
    super(page);
    /** @type {any} */
    this.chosen = null; // {kind: "cell", section, part} | {kind: "section", section} | {kind: "part", part} | ...
    this.strip = new SongStrip(this);
    this.picture = new SongPicture(this);
    this.pointer = new SongPointer(this);
    this.rows = new SongKeys(this);
    this.menu = new SongMenu(this);
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("pointerdown", (event) => this.pointer.pointerDown(event));
    document.addEventListener("dblclick", (event) => this.doubleClick(event));
  }

  get box() {
    return document.querySelector("[data-song-screen]");
  }

  get grid() {
    return byId("plan-grid");
  }

  get sections() {
    return this.data.sections;
  }

  unmount() {
    this.data = null;
  }

  /** @param {any} options */
  apply({ state, item }) {
    this.take(state.data, item, state.added);
  }

  /** @param {HTMLElement} section */
  async showSection(section) {
    this.choose({ kind: "section", section: Number(section.dataset.section) });
  }

  /**
   * Bars that are played round and round, from the first to the last; null: none.
   * @param {[number, number] | null} bars
   */
  showLoop(bars) {
    if (!this.data || this.dragging) return;
    this.span = bars;
    this.showSpan();
  }

  mount() {
    if (!this.page.player.running) {
      this.page.plan.on = true;
      this.page.plan.show();
    }
    this.drawn = new Map();
    this.grid.replaceChildren();
    this.take(JSON.parse(byId("plan-data").textContent));
    if (!this.chosen || !this.exists(this.chosen)) this.choose({ kind: "cell", section: this.data.seen.section, part: this.data.seen.part }, false);
  }

  /**
   * @param {any} edit its fields come from what is pressed: the server checks them
   * @param {Piece | null} [near]
   * @param {any} [gesture]
   */
  push(edit, near = null, gesture = null) {
    this.page.edits.push(edit, { near: near ?? byId("plan-strip"), gesture });
  }

  /** @param {any} id */
  section(id) {
    return this.data.sections.find((/** @type {any} */ one) => one.id === id);
  }

  /** @param {any} id */
  part(id) {
    return this.data.parts.find((/** @type {any} */ one) => one.id === id);
  }

  /**
   * @param {any} section
   * @param {any} part
   */
  cell(section, part) {
    return this.data.cells[section]?.[part];
  }

  /** @param {any} options */
  exists({ kind, section, part, loop }) {
    if (section !== undefined && !this.section(section)) return false;
    if (part !== undefined && !this.part(part)) return false;
    return kind !== "loop" || this.data.loops.some((/** @type {any} */ one) => one.id === loop);
  }

  /**
   * What an edit made of it.
   * @param {any} data
   * @param {any} [item]
   * @param {any} [added]
   */
  take(data, item = null, added = null) {
    const before = this.data;
    this.data = data;
    this.wanted = item?.edit?.kind;
    if (before && this.wanted === "section_add") this.choose({ kind: "section", section: this.newOne(before.sections, data.sections) }, false);
    if (before && ["part_add", "part_copy"].includes(this.wanted)) this.choose({ kind: "part", part: this.newOne(before.parts, data.parts) }, false);
    if (added && item?.edit?.kind === "pattern_add") this.strip.added = added;
    if (this.chosen && !this.exists(this.chosen)) this.chosen = { kind: "section", section: data.seen.section };
    this.draw();
  }

  /**
   * @param {any} before
   * @param {any} after
   */
  newOne(before, after) {
    const known = new Set(before.map((/** @type {any} */ one) => one.id));
    return (after.find((/** @type {any} */ one) => !known.has(one.id)) ?? after[0]).id;
  }

  // Drawing ----------------------------------------------------------------------------------------------------------
  draw() {
    const { data, grid } = this;
    const minutes = Math.floor(data.length_s / 60);
    byId("plan-length").textContent = `${data.bars} bar${data.bars === 1 ? "" : "s"} · ${minutes ? `${minutes} min ` : ""}${Math.round(data.length_s % 60)} s`;
    byId("plan-together").textContent = data.parts.length > 1 ? data.together : "";
    byId("plan-together").hidden = data.parts.length < 2;
    byId("plan-collisions").hidden = !data.collisions.length;
    byId("plan-collisions").textContent = `${data.collisions.length} struck twice`;
    byId("plan-flat").textContent = data.written ? "back to the sections" : "write the song out flat";
    byId("plan-flat").dataset.planFlat = data.written ? "back" : "flat";
    grid.style.gridTemplateColumns = `var(--head) ${data.sections.map((/** @type {any} */ one) => `minmax(${LEAST_PX}px, ${one.bars}fr)`).join(" ")}`;
    grid.style.minWidth = `calc(var(--head) + ${data.sections.length * (LEAST_PX + 4)}px)`;
    grid.style.gridTemplateRows = `58px 46px repeat(${data.parts.length}, minmax(46px, ${data.parts.length > 2 ? "1fr" : "150px"})) ${data.loops.map(() => "minmax(40px, .7fr)").join(" ")} minmax(40px, auto)`;
    const wanted = new Map();
    this.picture.energyRow(wanted);
    this.picture.headRow(wanted);
    data.parts.forEach((/** @type {any} */ part, /** @type {number} */ number) => this.picture.partRow(wanted, part, number + 3));
    data.loops.forEach((/** @type {any} */ loop, /** @type {number} */ number) => this.picture.loopRow(wanted, loop, data.parts.length + 3 + number));
    this.picture.joinRow(wanted, data.parts.length + data.loops.length + 3);
    for (const [key, drawn] of this.drawn) {
      if (wanted.has(key)) continue;
      drawn.element.remove();
      this.drawn.delete(key);
    }
    for (const [key, { row, column, words, make }] of wanted) {
      const known = this.drawn.get(key);
      const facts = JSON.stringify(words);
      let shown = known?.element;
      if (!known || known.facts !== facts) {
        const fresh = make();
        const hadFocus = shown?.contains(document.activeElement);
        if (shown) shown.replaceWith(fresh);
        else grid.append(fresh);
        shown = fresh;
        if (hadFocus) shown.focus({ preventScroll: true });
        this.drawn.set(key, { element: shown, facts });
      }
      shown.style.gridRow = row;
      shown.style.gridColumn = column;
    }
    this.inOrder([...wanted.keys()]);
    this.showSpan();
    this.showChosen();
    this.strip.draw();
  }

  /**
   * In the page's order too, for those who step or listen through it.
   * @param {any} keys
   */
  inOrder(keys) {
    const focused = /** @type {Piece} */ (document.activeElement);
    keys.forEach((/** @type {string} */ key, /** @type {any} */ place) => {
      const { element: one } = this.drawn.get(key);
      if (this.grid.children[place] !== one) this.grid.insertBefore(one, this.grid.children[place] ?? null);
    });
    if (this.grid.contains(focused) && document.activeElement !== focused) focused.focus({ preventScroll: true });
  }

  /**
   * Where the song is: a thread through the grid, and in the section that sounds.
   * @param {number} at
   */
  needle(at) {
    if (!this.box || !this.data) return;
    const position = this.page.player.mode === "song" ? at : null;
    let thread = byId("plan-needle");
    if (position === null) {
      if (thread) thread.hidden = true;
      return;
    }
    if (!thread) {
      thread = element("div", "plan-needle");
      thread.id = "plan-needle";
      this.grid.append(thread);
    }
    const { span, within } = this.page.plan.place(position);
    const head = this.drawn.get(`head ${span.section}`)?.element;
    thread.hidden = !head;
    if (!head) return;
    const x = Math.round(head.offsetLeft + head.offsetWidth * within);
    if (thread.dataset.x !== `${x}`) thread.style.transform = `translateX(${(thread.dataset.x = String(x))}px)`;
    if (this.sounding !== span.section) {
      this.sounding = span.section;
      for (const { element: one } of this.drawn.values()) one.classList.toggle("sounds", Number(one.dataset.head) === span.section);
      head.classList.add("sounds");
    }
  }

  // Choosing ---------------------------------------------------------------------------------------------------------
  /**
   * @param {any} chosen
   * @param {any} [focus]
   */
  choose(chosen, focus = true) {
    this.chosen = chosen;
    if (chosen.section !== undefined && chosen.section !== selection.section) Object.assign(selection, { section: chosen.section, pattern: 0 });
    if (chosen.part !== undefined && chosen.part !== selection.part) Object.assign(selection, { part: chosen.part, pattern: 0 });
    const cell = chosen.kind === "cell" ? this.cell(chosen.section, chosen.part) : null;
    if (cell && !cell.rest && cell.pattern) selection.pattern = cell.pattern;
    this.menu.close();
    this.showChosen();
    this.page.ribbon?.draw();
    this.strip.draw();
    if (focus) this.elementOf(chosen)?.focus({ preventScroll: false });
    this.say();
  }

  say() {
    const { chosen } = this;
    const section = this.section(chosen.section);
    if (chosen.kind === "cell") {
      const part = this.part(chosen.part);
      const cell = this.cell(chosen.section, chosen.part);
      showLedger(`${part.name} in ${section.name}||${cell.rest ? "rests" : `plays ${cell.name}`}${cell.own ? " · its own here" : section.parent ? ` · as in ${section.parent_name}` : ""}|bars ${section.first_bar} to ${section.first_bar + section.bars * section.repeats - 1}`);
    } else if (section) showLedger(`${section.name}||${section.bars} bars ×${section.repeats}|from bar ${section.first_bar}${section.promise ? ` · ${section.promise}` : ""}`);
  }

  /** @param {any} chosen */
  elementOf(chosen) {
    const key = /** @type {Record<string, any>} */ ({ cell: `cell ${chosen.section} ${chosen.part}`, section: `head ${chosen.section}`, joins: `join ${chosen.section}`, part: `part ${chosen.part}` })[chosen.kind];
    const found = this.drawn.get(key)?.element;
    return chosen.kind === "part" ? found?.querySelector("[data-part]") : found;
  }

  showChosen() {
    const { chosen } = this;
    if (!chosen) return;
    for (const { element: one } of this.drawn.values()) one.classList.remove("on", "here");
    for (const { element: one } of this.drawn.values()) {
      if (chosen.section !== undefined && Number(one.dataset.head) === chosen.section) one.classList.add("here");
    }
    const at = this.elementOf(chosen);
    (chosen.kind === "part" ? at?.parentElement : at)?.classList.add("on");
    byId("plan-collisions")?.setAttribute("aria-pressed", chosen.kind === "collisions");
    byId("plan-collisions")?.classList.toggle("on", chosen.kind === "collisions");
  }

  // Pointer ----------------------------------------------------------------------------------------------------------
  /** @param {PageEvent} event */
  click(event) {
    if (!this.box || !this.data) return;
    if (this.dragged) {
      this.dragged = false;
      return;
    }
    const of = (/** @type {string} */ name) => event.target.closest?.(`[data-${name}]`);
    const cell = of("cell");
    const loop = of("loop-cell");
    if (cell && this.grid.contains(cell)) {
      const [section, part] = cell.dataset.cell.split(" ").map(Number);
      const again = this.chosen?.kind === "cell" && this.chosen.section === section && this.chosen.part === part;
      this.choose({ kind: "cell", section, part });
      if (again && event.detail === 1) this.menu.open(cell, section, part);
    } else if (loop) {
      const [section, id] = loop.dataset.loopCell.split(" ").map(Number);
      this.push({ kind: "layered_loop_cell", loop_id: id, section_id: section, there: loop.classList.contains("rest") }, loop);
    } else if (of("head")) this.choose({ kind: "section", section: Number(of("head").dataset.head) });
    else if (of("join")) this.choose({ kind: "joins", section: Number(of("join").dataset.join) });
    else if (of("part-switch")) partSwitch(this, of("part-switch"));
    else if (of("part")) this.choose({ kind: "part", part: Number(of("part").dataset.part), section: this.chosen?.section });
    else if (of("cycles")) this.choose({ kind: "cycles", section: this.chosen?.section });
    else if (of("energy")) this.page.plan.playSection(Number(of("energy").dataset.energy));
    else if (of("plan-show")) this.choose({ kind: "collisions", section: this.chosen?.section });
    else if (of("plan-flat")) this.push({ kind: of("plan-flat").dataset.planFlat === "back" ? "song_back" : "song_flat" }, of("plan-flat"));
    else if (of("plan-section")) this.push({ kind: "section_add", after_id: this.chosen?.section ?? 0, how: of("plan-section").dataset.planSection }, of("plan-section"));
    else if (of("plan-stages")) addStages(this, of("plan-stages"));
    else if (of("plan-add")) addPart(this, of("plan-add"));
    else if (!of("plan-menu")) this.menu.close();
  }

  /** @param {PageEvent} event */
  doubleClick(event) {
    if (!this.box || !this.data) return;
    const head = event.target.closest?.("[data-head]");
    const cell = event.target.closest?.("[data-cell]");
    if (head) this.strip.rename();
    if (cell) this.toBench();
  }

  /** @param {any} options */
  change({ target }) {
    if (!this.box || !this.data) return;
    if (target.id === "add-line" && target.value) this.push({ kind: "part_add", kit_key: byId("add-kit").value, line: target.value }, target);
    else if (target.id === "add-loop" && target.value) this.push({ kind: "part_add", kit_key: byId("add-kit").value, loop_id: Number(target.value) }, target);
    else if (target.dataset.planMidi !== undefined && target.files.length) upload(this, target);
    else return;
    if (target.tagName === "SELECT") target.value = "";
  }

  // Which bars are gone round, marked along the energy.
  showSpan() {
    const [first, last] = this.span ?? [0, -1];
    for (const section of this.sections) {
      const box = this.drawn.get(`energy ${section.id}`).element;
      const all = section.bars * section.repeats;
      const from = Math.max(0, first - section.first_bar);
      const to = Math.min(all, last - section.first_bar + 1);
      let mark = box.querySelector(".plan-span");
      if (!mark) box.append((mark = element("span", "plan-span")));
      mark.hidden = to <= from;
      mark.style.left = `${(100 * from) / all}%`;
      mark.style.width = `${(100 * Math.max(0, to - from)) / all}%`;
    }
  }

  toBench() {
    this.page.redraw(`/songs/${this.page.song.id}/bench`);
  }

  // Keys -------------------------------------------------------------------------------------------------------------
  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get keys() {
    const here = () => {
      const focused = /** @type {Piece} */ (document.activeElement);
      const free = !focused || focused === document.body || focused.id === "screen" || this.grid.contains(focused);
      return Boolean(this.box && this.data && this.chosen) && free;
    };
    /** @type {import("../../shared/keys.js").KeyRow[]} */
    const rows = [...this.rows.walking, ...this.rows.ofCells, ...this.rows.ofSections].map((row) => ({ ...row, when: () => here() && (!row.when || row.when()) }));
    return [...this.menu.keys, ...rows];
  }

  // What has the keys: the chosen cell, or the first one.
  get work() {
    return (this.chosen && this.elementOf(this.chosen)) || this.grid;
  }
}
