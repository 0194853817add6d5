// The rails: what they show, at which zoom, and the tools around them. Pointer and keys have files of their own.

import { clickOnHit, wheel } from "./rail_ruler_pointer.js";
import { byId } from "../../shared/dom.js";
import { SelectedHits } from "./selected_hits.js";
import { Detail } from "./detail.js";
import { showLedger, showNote, speak } from "../../shared/notes.js";
import { drawRail } from "../../shared/rail_canvas.js";
import { placed, tickOf, xOf } from "../../shared/rail_geometry.js";
import { RailData, keyOf } from "../../shared/rail_data.js";
import { RailKeys } from "./rail_keys.js";
import { RailPointer } from "./rail_pointer.js";
import { MoreRails } from "./more_rails.js";
import { OtherRails } from "./other_rails.js";
import { ledgerText, placeName, spokenHit } from "../../shared/rail_words.js";
import { drawCounting, drawOverview } from "./ruler.js";
import { listReverseVoices, placeHitsBar } from "./hits_bar.js";
import { LayerRows } from "./layered_loop_rows.js";
import { barsEdit, deed } from "./rail_buttons.js";

const GRAB_PX = 8;

export class Rails extends RailPointer {
  /** @type {Set<string> | null} */
  stale = null;
  /** @type {any} */
  cursor;
  /** @type {any} */
  marks;
  /**
   * @param {any} edits
   * @param {import("../../shared/page.js").Page} page
   * @param {any} bench
   */
  constructor(edits, page, bench) {
    super();
    this.bench = bench;
    this.edits = edits;
    this.page = page;
    this.data = new RailData();
    this.mode = "write";
    /** @type {any} */
    this.cursor = null;
    this.marks = { chosen: new Set(), hot: null };
    this.chosen = new SelectedHits(this);
    this.detail = new Detail(this);
    this.keys = new RailKeys(this);
    this.layers = new LayerRows(this);
    this.others = new OtherRails(this);
    this.more = new MoreRails(this);
    /**
     * @param {string} name
     * @param {(event: PageEvent) => unknown} run
     * @param {AddEventListenerOptions} [options]
     */
    const on = (name, run, options) => document.addEventListener(name, run, options);
    on("pointerdown", (event) => this.down(event));
    on("pointermove", (event) => this.move(event));
    on("pointerup", (event) => this.up(event));
    on("pointercancel", (event) => this.cancel(event));
    on("contextmenu", (event) => event.target.closest?.("canvas.rail, canvas.other-rail") && event.preventDefault());
    on("dblclick", (event) => event.target.id === "counting" && this.chooseBars(null));
    on("wheel", (event) => wheel(this, event), { passive: false });
    on("click", (event) => clickOnHit(this, event));
    on("click", (event) => this.click(event));
    on("focusin", (event) => event.target.id === "rail-rows" && this.showCursor());
    on("focusout", (event) => event.target.id === "rail-rows" && this.hideCursor());
    on("change", (event) => event.target.dataset?.articulation && this.chosen.articulateBy(event.target.dataset.articulation, event.target.value));
    on("scroll", (event) => event.target.id === "rail-rows" && this.later(), { capture: true });
    window.addEventListener("resize", () => this.later());
    window.matchMedia("print").addEventListener("change", () => this.draw()); // at once: a sheet waits for no frame
  }

  get box() {
    return byId("rail-rows");
  }

  get busy() {
    return this.drag !== null || this.detail.drawing;
  }

  get facts() {
    return this.data.facts;
  }

  voices() {
    return [...document.querySelectorAll(".rail-row")].map((row) => row.dataset.voice);
  }

  // Those that are not folded away.
  shownVoices() {
    return [...document.querySelectorAll(".rail-row:not([hidden])")].map((row) => row.dataset.voice);
  }

  /** @param {string | undefined} voice */
  canvasOf(voice) {
    return document.querySelector(`#rail-${voice} canvas.rail`);
  }

  /** @param {string} voice */
  nameOf(voice) {
    return this.facts.names[voice] ?? voice;
  }

  /**
   * @param {string | undefined} voice
   * @param {number} tick
   */
  find(voice, tick) {
    return this.data.hit(voice, tick);
  }

  /**
   * @param {import("../../shared/shapes").Edit} edit
   * @param {any} options
   */
  push(edit, options) {
    this.editedAt = performance.now();
    this.edits.push(edit, options);
    this.data.foresee(edit);
    this.later();
  }

  /** @param {string} words */
  say(words) {
    showNote(words, { near: this.box });
    speak(words);
  }

  // What is shown --------------------------------------------------------------------------------------------------
  arrive() {
    const text = byId("rail-data")?.textContent;
    if (text) this.take(JSON.parse(text));
    this.showMode();
    this.later();
  }

  /** @param {any} rails */
  take(rails) {
    if (!rails) return;
    const before = this.facts?.length;
    this.data.take(rails);
    for (const { edit } of this.edits.queue) if (edit) this.data.foresee(edit);
    if (!this.look.end || (before && before !== this.facts.length)) this.fit();
    this.chosen.prune();
    this.tellHot();
    const run = this.afterAnswer;
    /** @type {any} */
    this.afterAnswer = null;
    if (run && !this.edits.queue.length) run();
    this.later();
  }

  /** @param {string} mode */
  setMode(mode) {
    this.mode = mode;
    this.showMode();
  }

  showMode() {
    const set = (/** @type {Piece} */ button, /** @type {boolean} */ on) => {
      button.classList.toggle("on", on);
      button.setAttribute("aria-pressed", on);
    };
    for (const button of document.querySelectorAll("[data-mode]")) set(button, button.dataset.mode === this.mode);
    for (const button of document.querySelectorAll("[data-follow]")) set(button, this.follows);
    for (const button of document.querySelectorAll("button[data-magnify]")) set(button, Number(button.dataset.magnify) === this.look.magnify);
    this.box?.classList.toggle("selecting", this.mode === "select");
  }

  chosenChanged() {
    this.marks.chosen = this.chosen.keys;
    this.showMode();
    this.later();
    this.bench.side?.follow();
    const count = this.chosen.keys.size;
    const line = byId("chosen-count");
    if (line) line.textContent = `${count} hit${count === 1 ? "" : "s"}`;
    listReverseVoices(this);
  }

  // The bottom line is of now: of the hit it tells as it has become, or of none when that is gone.
  tellHot() {
    if (!this.marks.hot || this.drag) return;
    const [voice, tick] = this.marks.hot.split(" ");
    const hit = this.find(voice, Number(tick));
    if (!hit) this.marks.hot = null;
    showLedger(hit ? ledgerText(hit, this.facts, this.marks.targets?.get(voice)?.get(hit.tick)) : "");
  }

  // Drawn once a frame, however much has changed: everything, or only some rails (an empty list: the strip alone).
  /** @param {Iterable<string> | null} [voices] */
  later(voices = null) {
    if (!voices) this.stale = null;
    else if (this.stale) for (const voice of voices) this.stale.add(voice);
    else if (!this.waiting) this.stale = new Set(voices);
    if (this.waiting) return;
    this.waiting = requestAnimationFrame(() => {
      this.waiting = null;
      this.draw();
    });
  }

  draw() {
    if (!this.box || !this.facts || !this.look.end) return;
    const { look, facts } = this;
    Object.assign(this.box.dataset, { start: look.start, end: look.end, magnify: look.magnify, msPerTick: facts.msPerTick, step: facts.step });
    this.marks.chosen = this.chosen.keys;
    const { stale } = this;
    this.stale = null;
    if (!stale) this.more.draw(this.others.folded);
    const { scrollTop: top } = this.box;
    const bottom = top + this.box.clientHeight;
    for (const voice of stale ?? this.shownVoices()) {
      const canvas = this.canvasOf(voice);
      if (!canvas) continue;
      const row = canvas.parentElement;
      if (row.offsetTop + row.offsetHeight < top || row.offsetTop > bottom) continue; // scrolled out of sight
      drawRail(canvas, voice, this.data.hits(voice), look, facts, this.data.step(voice), this.marks, row.dataset.sounding !== "true");
    }
    if (!this.leans) this.detail.draw(); // what is written stays as it is
    this.leans = false;
    placeHitsBar(this);
    this.drawnAt = performance.now();
    if (stale) return;
    this.layers.draw(look, facts);
    this.others.draw(look, facts);
    this.drawAround(look, facts);
  }

  /**
   * @param {any} look
   * @param {import("../../shared/shapes").RailFacts} facts
   */
  drawAround(look, facts) {
    drawCounting(byId("counting"), look, facts, this.bars);
    const overview = byId("overview");
    overview.parentElement.hidden = look.start === 0 && look.end >= facts.length; // all is in view
    if (!overview.parentElement.hidden) drawOverview(overview, look, this.data);
    overview.setAttribute("aria-valuemax", facts.length);
    overview.setAttribute("aria-valuenow", look.start);
    const first = Math.floor(look.start / facts.bar) + 1;
    const last = Math.ceil(look.end / facts.bar);
    byId("bars-shown").textContent = last > first ? `bars ${first}–${last}` : `bar ${first}`;
    overview.setAttribute("aria-valuetext", byId("bars-shown").textContent);
    this.showCursor();
  }

  /**
   * Where a hit is on the page as drawn; for tests, and for what is put beside it.
   * @param {string | undefined} voice
   * @param {number} tick
   */
  seen(voice, tick) {
    const hit = this.find(voice, tick);
    const canvas = this.canvasOf(voice);
    if (!hit || !canvas) return null;
    const box = canvas.getBoundingClientRect();
    const at = placed(hit, this.look, this.facts, box.width, box.height);
    return { ...hit, amounts: undefined, accents: undefined, x: box.left + at.x, y: box.top + at.head, foot: box.left + at.foot, label: spokenHit(hit, this.facts), ledger: ledgerText(hit, this.facts) };
  }

  // Geometry ---------------------------------------------------------------------------------------------------------
  /** @param {number} tick */
  percent(tick) {
    return xOf(tick, this.look, 100);
  }

  /**
   * @param {HTMLCanvasElement} canvas
   * @param {number} clientX
   * @param {string} voice
   */
  tickAt(canvas, clientX, voice) {
    const box = canvas.getBoundingClientRect();
    const step = this.data.step(voice);
    const slot = Math.round(tickOf(clientX - box.left, this.look, box.width) / step) * step;
    const last = Math.ceil(this.facts.length / step) * step - step;
    return Math.max(Math.ceil(this.look.start / step) * step, Math.min(slot, last));
  }

  /** @param {HTMLCanvasElement} canvas */
  msPerPixel(canvas) {
    const one = tickOf(1, this.look, canvas.clientWidth) - tickOf(0, this.look, canvas.clientWidth);
    return (one * this.facts.msPerTick) / this.look.magnify;
  }

  /**
   * The hit whose stem or head is under the pointer, the nearest of several.
   * @param {any} canvas
   * @param {any} event
   */
  hitAt(canvas, event) {
    const { voice } = canvas.parentElement.dataset;
    const box = canvas.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    let best = null;
    let nearest = GRAB_PX;
    for (const hit of this.data.hits(voice)) {
      const at = placed(hit, this.look, this.facts, box.width, box.height);
      const away = Math.abs(at.x - x);
      if (away < nearest && y > at.head - 10 && y < at.base + 8) [best, nearest] = [hit, away];
    }
    return best;
  }

  // The tools ------------------------------------------------------------------------------------------------------------
  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (!button || !this.facts) return;
    const { dataset } = button;
    if (dataset.mode) this.setMode(dataset.mode);
    else if (dataset.magnify) this.magnify(Number(dataset.magnify));
    else if (dataset.follow !== undefined) this.setFollows(!this.follows);
    else if (dataset.choose) this.chosen.by(dataset.choose);
    else if (dataset.articulation) this.chosen.articulateBy(dataset.articulation, dataset.value);
    else if (dataset.deed) deed(this, dataset.deed, Number(dataset.by));
    else if (dataset.speed) this.push({ kind: "speed", factor: Number(dataset.speed) }, { near: button });
    else if (dataset.barsEdit) barsEdit(this, dataset.barsEdit, button);
    else if (dataset.zoom) this.zoom(Number(dataset.zoom));
  }

  // The cursor -------------------------------------------------------------------------------------------------------------
  ensureCursor() {
    const voices = this.voices();
    if (!this.cursor || !voices.includes(this.cursor.voice)) this.cursor = { voice: voices[0], tick: Math.ceil(this.look.start / this.facts.step) * this.facts.step };
    this.cursor.tick = Math.max(0, Math.min(this.cursor.tick, this.facts.length - 1));
  }

  /**
   * @param {string} voice
   * @param {number} tick
   */
  putCursor(voice, tick) {
    this.more.reveal(voice);
    this.cursor = { voice, tick };
    this.ensureCursor();
    const { start, end } = this.look;
    if (this.cursor.tick < start || this.cursor.tick >= end) this.show(Math.floor(this.cursor.tick / this.facts.bar) * this.facts.bar, end - start);
    this.later();
  }

  /**
   * Show a hit, wherever it is.
   * @param {string} voice
   * @param {number} tick
   */
  goTo(voice, tick) {
    this.marks.hot = `${voice} ${tick}`;
    this.putCursor(voice, tick);
    byId(`rail-${voice}`)?.scrollIntoView({ block: "nearest" });
    this.box.focus({ preventScroll: true });
  }

  showCursor() {
    const mark = byId("cursor");
    if (!mark || document.activeElement !== this.box || !this.facts) return;
    this.ensureCursor();
    this.tellCell();
    const row = byId(`rail-${this.cursor.voice}`);
    const canvas = row.querySelector("canvas.rail");
    const { start, end } = this.look;
    mark.hidden = this.cursor.tick < start || this.cursor.tick > end;
    mark.style.left = `${canvas.offsetLeft + xOf(this.cursor.tick, this.look, canvas.clientWidth)}px`;
    mark.style.top = `${row.offsetTop + 2}px`;
    mark.style.height = `${row.offsetHeight - 5}px`;
  }

  // For a screen reader each rail is a row of slots; the slot the cursor is on has a name.
  tellCell() {
    const { voice, tick } = this.cursor;
    const cell = byId(`cell-${voice}`);
    if (!cell) return;
    const hit = this.data.hit(voice, tick);
    const step = this.data.step(voice);
    this.box.setAttribute("aria-activedescendant", cell.id);
    this.box.setAttribute("aria-colcount", String(Math.ceil(this.facts.length / step)));
    cell.setAttribute("aria-colindex", String(Math.floor(tick / step) + 1));
    cell.setAttribute("aria-selected", String(Boolean(hit && this.chosen.keys.has(keyOf(hit)))));
    cell.textContent = hit ? spokenHit(hit, this.facts) : `${placeName(tick, this.facts)}, no hit`;
  }

  hideCursor() {
    const mark = byId("cursor");
    if (mark) mark.hidden = true;
  }

}
