// The Grooves screen: the shelf by ear, and one groove drawn slot by slot.

import { byId } from "../../shared/dom.js";
import { ask, newEditId } from "../../shared/api.js";
import { ACCENT_SHARE, LABELS, LEFT, drawGroove, yOf } from "./groove_canvas.js";
import { showLedger, showNote } from "../../shared/notes.js";
import { GrooveMap } from "./groove_map.js";
import { Screen } from "../../shared/screen.js";
import { GrooveList } from "../../shared/try_out.js";
import { addTips } from "../../shared/tip.js";
import { TIPS } from "./tips.js";

addTips(TIPS);

export default class Grooves extends Screen {
  /** @type {any} */
  list;
  /** @param {import("../../shared/page.js").Page} page */
  constructor(page) {
    super(page);
    this.edits = page.edits;
    /** @type {any} */
    this.data = null;
    this.slot = 0;
    /** @type {any} */
    this.stroke = null; // what is being drawn: {kind, values: Map(slot -> [offset, accent])}
    this.list = new GrooveList(page.tryOut, {
      scope: () => "stack",
      stepped: (/** @type {any} */ id) => this.look(id),
      take: (/** @type {any} */ id) => this.putOn("stack", id),
      leave: () => page.tryOut.end(),
    });
    this.map = new GrooveMap(this);
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("input", (event) => event.target.id === "blend-share" && (byId("blend-words").textContent = `${event.target.value} %`));
    document.addEventListener("pointerdown", (event) => this.down(event));
    document.addEventListener("pointermove", (event) => this.move(event));
    document.addEventListener("pointerup", () => this.up());
    document.addEventListener("pointercancel", () => this.up());
    window.addEventListener("resize", () => this.draw());
    for (const name of ["dragover", "drop"]) document.addEventListener(name, (event) => this.drop(event));
  }

  get box() {
    return document.querySelector("[data-grooves]");
  }

  get canvas() {
    return byId("groove-canvas");
  }

  get lane() {
    return this.data?.lane ?? "all";
  }

  // The lane as it is shown: one that is not there yet looks like all.
  get values() {
    return this.data.lanes[this.lane] ?? this.data.lanes.all;
  }

  get work() {
    return byId("groove-list");
  }

  unmount() {
    this.page.tryOut.end();
  }

  mount() {
    this.take(JSON.parse(byId("groove-data").textContent));
    this.map.mount();
    byId("groove-list").querySelector(".on")?.scrollIntoView({ block: "nearest" });
    const { bars } = this.page.screens.bench.rails; // what was chosen on the Bench is offered
    if (bars) [byId("take-from").value, byId("take-bars").value] = String([bars.from, Math.min(8, bars.count)]);
  }

  /** @param {any} options */
  apply({ state, more }) {
    this.take(state.data, { made: state.made, more });
  }

  /**
   * @param {any} _id
   * @param {Piece} target
   */
  holds(_id, target) {
    const focused = /** @type {Piece} */ (document.activeElement);
    return Boolean(this.stroke || (target.contains(focused) && focused.matches("input:not([type=range])")));
  }

  /**
   * @param {any} data
   * @param {any} [options]
   */
  take(data, { made = null, more = false } = {}) {
    if (!this.box || (this.stroke && data?.id === this.data?.id)) return;
    this.data = data;
    if (this.map.order) this.map.arrange();
    this.page.view.groove = data?.id ?? 0;
    this.page.view.lane = data?.lane ?? "all";
    if (data) this.slot = Math.min(this.slot, data.slots * data.bars - 1);
    if (made) byId("groove-list").querySelector(".on")?.scrollIntoView({ block: "nearest" });
    if (this.page.tryOut.now && !more) this.page.tryOut.hear(data?.id ?? 0); // what is tried follows what is drawn
    if (data) this.showSlot();
    this.draw();
  }

  /**
   * Show another groove, when the hand rests.
   * @param {any} id
   */
  look(id) {
    this.page.view.groove = id;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.page.refresh(), 90);
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (!button || !this.box) return;
    const { dataset } = button;
    if (dataset.grooveId) this.list.show(byId("groove-list"), button, this.page.player.running);
    else if (dataset.lane) this.page.look({ lane: dataset.lane });
    else if (dataset.grooveScope) this.putOn(dataset.grooveScope, button.classList.contains("on") ? null : this.data.id, button);
    else if (dataset.grooveMake) this.make(dataset.grooveMake, button);
    else if (dataset.grooveBlend !== undefined) this.blend(button);
    else if (dataset.grooveLonger) this.push({ kind: "groove_longer", groove_id: this.data.id, how: /** @type {any} */ (dataset.grooveLonger), bars: Number(dataset.bars) || 2 }, button);
    else if (dataset.grooveAway !== undefined) this.push({ kind: "groove_away", groove_id: this.data.id }, button);
  }

  /**
   * @param {import("../../shared/shapes").Edit} edit
   * @param {Piece} near
   */
  push(edit, near) {
    this.edits.push(edit, { near });
  }

  /**
   * @param {string} scope
   * @param {any} id
   * @param {Piece} [near]
   */
  putOn(scope, id, near = byId("groove-list")) {
    this.page.tryOut.end();
    this.push({ kind: "feel", scope, field: "template_id", value: id }, near);
  }

  /**
   * @param {string} how
   * @param {Piece} near
   */
  make(how, near) {
    const name = byId("groove-new").value.trim();
    const whole = (/** @type {any} */ id) => Math.round(Number(byId(id).value.replace(",", "."))) || 0;
    /** @type {Record<string, any>} */
    const edits = {
      draw: () => ({ kind: "groove_draw", name, slots_per_bar: whole("draw-slots"), bars: whole("draw-bars") }),
      bars: () => ({ kind: "groove_bars", name, from_bar: Math.max(1, whole("take-from")), bars: Math.max(1, whole("take-bars")) }),
      loop: () => ({ kind: "groove_loop", name, loop_id: Number(byId("take-loop").value), bars: 1 }),
    };
    this.push(edits[how](), near);
  }

  /** @param {Piece} near */
  blend(near) {
    const other = Number(byId("blend-with").value);
    const share = Number(byId("blend-share").value);
    const names = [byId("groove-title").value, byId("blend-with").selectedOptions[0].text];
    const name = names.map((one) => one.slice(0, 36)).join(" and ");
    this.push({ kind: "groove_blend", name, shares: [[this.data.id, 100 - share], [other, share]] }, near);
  }

  /** @param {PageEvent} event */
  change(event) {
    const { target } = event;
    if (!this.box) return;
    if (target.id === "groove-title" || target.id === "groove-words") this.push({ kind: "groove_name", groove_id: this.data.id, name: byId("groove-title").value, words: byId("groove-words").value }, target);
    else if (target.id === "slot-offset") this.typed(target, "offset");
    else if (target.id === "slot-accent") this.typed(target, "accent");
    else if (target.id === "groove-file" && target.files.length) this.upload(target.files[0]);
  }

  /**
   * @param {any} field
   * @param {string} kind
   */
  typed(field, kind) {
    const value = Number(field.value.replace("−", "-").replace(",", ".").replace(/[^\d.\-+]/g, ""));
    const [low, high] = kind === "offset" ? [-250, 250] : [0, 100];
    if (field.value.trim() === "" || !Number.isFinite(value) || value < low || value > high) {
      showNote(`'${field.value}' does not fit here: type a number from ${low} to ${high}.`, { near: field, wrong: true });
      return;
    }
    this.set(this.slot, kind, kind === "offset" ? value : value / 100);
    this.send(null);
  }

  // Drawing by hand ------------------------------------------------------------------------------------------------
  frame() {
    const { clientWidth: width, clientHeight: height } = this.canvas;
    const foot = height - LABELS;
    const split = foot * (1 - ACCENT_SHARE);
    const slots = this.data.slots * this.data.bars;
    return { width, height, foot, split, slots, column: (width - LEFT) / slots, middle: split / 2, room: split / 2 - 10 };
  }

  /** @param {PageEvent} event */
  down(event) {
    if (event.target !== this.canvas || event.button !== 0 || !this.data) return;
    this.canvas.setPointerCapture(event.pointerId);
    const { offsetY } = event;
    const kind = offsetY < this.frame().split ? "offset" : "accent";
    this.stroke = { kind, gesture: `groove-${Date.now()}`, values: new Map(), last: null };
    this.drawAt(event);
  }

  /** @param {PageEvent} event */
  move(event) {
    if (this.stroke) this.drawAt(event);
    else if (event.target === this.canvas && this.data) this.point(this.slotAt(event.offsetX));
  }

  /**
   * How far down the canvas an offset lies.
   * @param {any} offset_ms
   */
  heightOf(offset_ms) {
    return yOf(offset_ms, this.data, this.frame());
  }

  /** @param {number} x */
  slotAt(x) {
    const { column, slots } = this.frame();
    return Math.max(0, Math.min(slots - 1, Math.floor((x - LEFT) / column)));
  }

  /** @param {PageEvent} event */
  drawAt(event) {
    const { kind, last } = this.stroke;
    const box = this.canvas.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    const slot = this.slotAt(x);
    const value = this.valueAt(y, kind);
    // Slots passed over quickly lie on the line between two points.
    const from = last?.slot ?? slot;
    const steps = Math.abs(slot - from);
    for (let step = 0; step <= steps; step += 1) {
      const share = steps ? step / steps : 1;
      this.set(from + Math.sign(slot - from) * step, kind, last ? last.value + (value - last.value) * share : value);
    }
    this.stroke.last = { slot, value };
    this.point(slot);
    this.send(this.stroke.gesture);
  }

  /**
   * @param {number} y
   * @param {string} kind
   */
  valueAt(y, kind) {
    const { middle, room, split, foot } = this.frame();
    if (kind === "offset") {
      const ms = ((y - middle) / room) * this.data.reach;
      return Math.round(Math.max(-this.data.reach, Math.min(this.data.reach, Math.abs(ms) < this.data.reach * 0.02 ? 0 : ms)) * 2) / 2;
    }
    return Math.round(Math.max(0, Math.min(1, (foot - y) / (foot - split - 8))) * 100) / 100;
  }

  /**
   * @param {number} slot
   * @param {string} kind
   * @param {any} value
   */
  set(slot, kind, value) {
    this.stroke ??= { kind, values: new Map(), gesture: null };
    if (!this.data.lanes[this.lane]) this.data.lanes[this.lane] = structuredClone(this.data.lanes.all);
    const rounded = kind === "offset" ? Math.round(value * 10) / 10 : Math.round(value * 100) / 100;
    this.values[kind][slot] = rounded;
    this.values.guessed[slot] = false;
    const [offset, accent] = this.stroke.values.get(slot) ?? [null, null];
    this.stroke.values.set(slot, kind === "offset" ? [rounded, accent] : [offset, rounded]);
    this.draw();
  }

  /** @param {any} gesture */
  send(gesture) {
    /** @type {[number, number | null, number | null][]} */
    const values = [...this.stroke.values].map(([slot, [offset, accent]]) => [slot, offset, accent]);
    this.edits.push({ kind: "groove_slots", groove_id: this.data.id, lane: this.lane, values }, { gesture, near: this.canvas });
    if (!gesture) this.stroke = null;
  }

  up() {
    if (!this.stroke?.gesture) return;
    this.stroke = null;
    if (!this.edits.queue.length) this.page.refresh();
  }

  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get keys() {
    const inList = () => {
      const list = byId("groove-list");
      return this.data && list?.contains(document.activeElement) && list;
    };
    const rows = [
      { keys: "ArrowLeft ArrowRight Home End", shows: "← →", words: "along the slots of the drawn groove", run: (/** @type {PageEvent} */ event) => this.stepSlot(event.key) },
      { keys: "ArrowUp", shows: "↑ ↓", words: "a slot 1 ms earlier, later (Shift: 5 ms)", run: () => this.changeSlot("offset", -1) },
      { keys: "ArrowDown", run: () => this.changeSlot("offset", 1) },
      { keys: "Shift+ArrowUp", run: () => this.changeSlot("offset", -5) },
      { keys: "Shift+ArrowDown", run: () => this.changeSlot("offset", 5) },
      { keys: "PageUp", shows: "Page ↑ ↓", words: "a slot louder, softer", run: () => this.changeSlot("accent", 0.05) },
      { keys: "PageDown", run: () => this.changeSlot("accent", -0.05) },
      { keys: "0", words: "the slot on the grid", run: () => this.changeSlot("offset", -Infinity, 0) },
    ];
    const drawn = () => Boolean(this.data) && document.activeElement === this.canvas;
    return [...this.list.keys(inList), ...this.map.keys, ...rows.map((row) => ({ ...row, when: drawn }))];
  }

  /** @param {string} key */
  stepSlot(key) {
    const last = this.data.slots * this.data.bars - 1;
    /** @type {any} */
    const to = { ArrowLeft: this.slot - 1, ArrowRight: this.slot + 1, Home: 0, End: last }[key];
    this.point(Math.max(0, Math.min(last, to)));
  }

  /**
   * The slot's offset in ms, or its accent, by so much, or to a value.
   * @param {string} kind
   * @param {number} by
   * @param {any} [value]
   */
  changeSlot(kind, by, value = this.values[kind][this.slot] + by) {
    const [low, high] = kind === "offset" ? [-250, 250] : [0, 1];
    this.set(this.slot, kind, Math.max(low, Math.min(high, value)));
    this.send(null);
  }

  /** @param {number} slot */
  point(slot) {
    this.slot = slot;
    this.showSlot();
    this.draw();
  }

  showSlot() {
    const { labels, slots, bars } = this.data;
    const { offset, accent, spread, count, guessed } = this.values;
    const at = this.slot;
    const bar = bars > 1 ? `bar ${Math.floor(at / slots) + 1}, ` : "";
    const from = guessed[at] ? "a guess: no hit was heard here" : count[at] ? `${count[at]} hit${count[at] > 1 ? "s" : ""}, spread ${spread[at].toFixed(1)} ms` : "set by hand";
    byId("groove-slot").textContent = `slot ${at + 1}${labels[at] ? ` (${bar}${labels[at]})` : ""} · ${from}`;
    if (document.activeElement !== byId("slot-offset")) byId("slot-offset").value = offset[at].toFixed(1).replace("-", "−");
    if (document.activeElement !== byId("slot-accent")) byId("slot-accent").value = String(Math.round(accent[at] * 100));
    const words = Math.abs(offset[at]) < 0.05 ? "on the grid" : `${Math.abs(offset[at]).toFixed(1)} ms ${offset[at] > 0 ? "late" : "early"}`;
    showLedger(`slot ${at + 1}|band ${this.lane}  accent ${Math.round(accent[at] * 100)} %|${words}`);
  }

  draw() {
    if (this.canvas && this.data) drawGroove(this.canvas, { data: this.data, lane: this.lane, slot: this.slot, frame: this.frame() });
  }

  // Files ------------------------------------------------------------------------------------------------------------
  /** @param {PageEvent} event */
  drop(event) {
    if (!this.box || !event.dataTransfer?.types.includes("Files")) return;
    event.preventDefault();
    if (event.type === "drop" && event.dataTransfer.files.length) this.upload(event.dataTransfer.files[0]);
  }

  /** @param {Blob & { name?: string }} file */
  async upload(file) {
    const say = (/** @type {string} */ words, wrong = false) => {
      byId("groove-state").textContent = words;
      byId("groove-state").classList.toggle("warning", wrong);
    };
    say(`bringing in ${file.name}…`);
    const address = `/songs/${this.page.song.id}/grooves/upload?name=${encodeURIComponent((file.name ?? "").slice(-80))}&edit_id=${newEditId()}`;
    const options = { method: "POST", headers: { "Content-Type": "application/octet-stream", Accept: "application/json" }, body: file };
    const answer = await ask(address, options).catch(() => null);
    const result = await answer?.json().catch(() => null);
    if (!answer?.ok) {
      say(result?.error || "Easy Pocket does not answer just now; nothing was brought in. Try again in a moment.", true);
      return;
    }
    this.edits.follow(result.song);
    say(`${file.name} is on the shelf.`);
    this.page.look({ groove: result.made, lane: "all" });
  }
}
