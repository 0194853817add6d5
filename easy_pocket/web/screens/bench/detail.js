// The detail strip under the rails: one value of many hits, drawn over, shaped, or typed.

import { byId } from "../../shared/dom.js";
import { colours, fitted } from "../../shared/canvas.js";
import { lean, xOf } from "../../shared/rail_geometry.js";
import { keyOf, placeOf, valueOf } from "../../shared/rail_data.js";
import { showLedger, showNote } from "../../shared/notes.js";

/** @type {Record<string, any>} */
const FIELDS = {
  velocity: { label: "velocity", low: 1, high: 127, rest: 1, unit: "", digits: 0 },
  offset_ms: { label: "own timing", low: -50, high: 50, rest: 0, unit: " ms", digits: 1, wide: 250 },
  tune_cents: { label: "tune", low: -1200, high: 1200, rest: 0, unit: " cents", digits: 0, snap: 100, wide: 2400 },
  pan: { label: "pan", low: -1, high: 1, rest: 0, unit: "", digits: 2 },
  strokes: { label: "ratchet", low: 1, high: 8, rest: 1, unit: "", digits: 0 },
  room_percent: { label: "room", low: 0, high: 100, rest: 0, unit: " %", digits: 0 },
  odds_percent: { label: "odds", low: 1, high: 100, rest: 1, unit: " %", digits: 0 },
};
const PAD = 10;

export class Detail {
  /** @param {any} rails */
  constructor(rails) {
    this.rails = rails;
    this.field = "velocity";
    /** @type {Map<any, any>} */
    this.drawn = new Map();
    document.addEventListener("pointerdown", (event) => this.down(event));
    document.addEventListener("pointermove", (event) => this.move(event));
    document.addEventListener("pointerup", () => this.up());
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
  }

  get canvas() {
    return byId("detail");
  }

  get facts() {
    return FIELDS[this.field];
  }

  // Whose values are shown: the chosen hits, else those of the row the cursor or the feel panel is on.
  get hits() {
    const { chosen, data } = this.rails;
    return chosen.keys.size ? chosen.hits : data.hits(this.voice);
  }

  get voice() {
    const { cursor } = this.rails;
    const voices = this.rails.voices();
    const wanted = [this.rails.page.view.scope, cursor?.voice].find((voice) => voices.includes(voice));
    return wanted ?? voices[0];
  }

  draw() {
    const { canvas } = this;
    if (!canvas || !this.rails.data.facts) return;
    const { pen, width, height } = fitted(canvas);
    const c = colours();
    const { look, data } = this.rails;
    const rest = this.y(this.facts.rest, height);
    pen.fillStyle = c.seam;
    for (const share of [0.25, 0.5, 0.75]) pen.fillRect(0, Math.round(PAD + (height - 2 * PAD) * share), width, 1);
    for (let bar = Math.ceil(look.start / data.facts.bar) * data.facts.bar; bar <= look.end; bar += data.facts.bar) {
      pen.fillStyle = c.bar;
      pen.fillRect(Math.round(xOf(bar, look, width)), 0, 1, height);
    }
    pen.strokeStyle = c.base;
    pen.setLineDash([3, 3]);
    pen.beginPath();
    pen.moveTo(0, rest);
    pen.lineTo(width, rest);
    pen.stroke();
    pen.setLineDash([]);
    const slot_px = xOf(look.start + data.facts.step, look, width) - xOf(look.start, look, width);
    const thin = Math.max(0.8, Math.min(2, slot_px / 3));
    for (const hit of this.hits) {
      if (hit.tick < look.start || hit.tick > look.end) continue;
      const value = this.drawn.get(keyOf(hit)) ?? valueOf(hit, this.field);
      const x = xOf(hit.tick, look, width);
      const y = this.y(value, height);
      const side = this.field === "offset_ms" ? lean(value) : "even";
      pen.strokeStyle = pen.fillStyle = side === "even" ? (this.drawn.has(keyOf(hit)) ? c.thread : c.denim) : c[side];
      pen.lineWidth = thin;
      pen.beginPath();
      pen.moveTo(x, rest);
      pen.lineTo(x, y);
      pen.stroke();
      pen.beginPath();
      pen.arc(x, y, 1.8 * thin, 0, 2 * Math.PI);
      pen.fill();
    }
    this.showHead();
  }

  showHead() {
    const { hits } = this;
    const { chosen, data } = this.rails;
    byId("detail-of").textContent = chosen.keys.size ? `${hits.length} chosen` : (data.facts.names[this.voice] ?? "");
    for (const button of document.querySelectorAll("[data-detail]")) {
      button.classList.toggle("on", button.dataset.detail === this.field);
      button.setAttribute("aria-pressed", button.dataset.detail === this.field);
    }
    const field = byId("detail-value");
    if (document.activeElement !== field) {
      const values = [...new Set(this.targets.map((/** @type {import("../../shared/rail_data.js").Hit} */ hit) => this.words(valueOf(hit, this.field))))];
      field.value = values.length === 1 ? values[0] : "";
      field.placeholder = values.length > 1 ? "various" : "–";
    }
    field.disabled = !this.targets.length;
  }

  get targets() {
    return this.rails.chosen.targets;
  }

  /** @param {any} value */
  words(value) {
    return `${Number(value).toFixed(this.facts.digits).replace("-", "−")}${this.facts.unit}`;
  }

  /**
   * @param {any} value
   * @param {number} height
   */
  y(value, height) {
    const { low, high } = this.facts;
    const share = (Math.max(low, Math.min(value, high)) - low) / (high - low);
    return height - PAD - share * (height - 2 * PAD);
  }

  /**
   * @param {number} y
   * @param {number} height
   */
  valueAt(y, height) {
    const { low, high, digits, snap } = this.facts;
    const value = low + ((height - PAD - y) / (height - 2 * PAD)) * (high - low);
    const held = Math.max(low, Math.min(value, high));
    if (snap) return Math.round(held / snap) * snap;
    return Number(held.toFixed(digits));
  }

  /** @param {PageEvent} event */
  down(event) {
    if (event.target !== this.canvas || event.button !== 0) return;
    event.preventDefault();
    this.drawing = { x: event.offsetX, y: event.offsetY };
    this.canvas.setPointerCapture(event.pointerId);
    this.over(event.offsetX, event.offsetY);
  }

  /** @param {PageEvent} event */
  move(event) {
    if (!this.drawing || event.target !== this.canvas) return;
    for (const point of event.getCoalescedEvents?.() ?? [event]) {
      const box = this.canvas.getBoundingClientRect();
      this.over(point.clientX - box.left, point.clientY - box.top);
    }
  }

  /**
   * Every hit between the last point and this one takes the height of the line between them.
   * @param {number} x
   * @param {number} y
   */
  over(x, y) {
    /** @type {any} */
    const from = this.drawing;
    const { clientWidth: width, clientHeight: height } = this.canvas;
    const still = Math.abs(x - from.x) < 1;
    const reach = still ? 8 : 0;
    const [left, right] = [Math.min(x, from.x) - reach, Math.max(x, from.x) + reach];
    let last = null;
    for (const hit of this.hits) {
      const at = xOf(hit.tick, this.rails.look, width);
      if (at < left || at > right) continue;
      const share = still ? 1 : (at - from.x) / (x - from.x);
      const value = this.valueAt(from.y + (y - from.y) * share, height);
      this.drawn.set(keyOf(hit), value);
      last = value;
    }
    this.drawing = { x, y };
    if (last !== null) showLedger(`${this.facts.label}|${this.words(last)}|${this.drawn.size} hit${this.drawn.size === 1 ? "" : "s"}`);
    this.rails.later([]);
  }

  up() {
    if (!this.drawing) return;
    this.drawing = null;
    const values = this.hits.filter((/** @type {import("../../shared/rail_data.js").Hit} */ hit) => this.drawn.has(keyOf(hit))).map((/** @type {import("../../shared/rail_data.js").Hit} */ hit) => [...placeOf(hit), this.drawn.get(keyOf(hit))]);
    this.drawn.clear();
    if (values.length) this.push(values);
    this.rails.later();
  }

  // Escape while it is drawn: the values stay as they are.
  letGo() {
    if (!this.drawing) return false;
    this.drawing = null;
    this.drawn.clear();
    this.rails.later();
    return true;
  }

  /** @param {any} values */
  push(values) {
    this.rails.push({ kind: "values", field: this.field, values, step_ticks: this.rails.data.step(values[0][0]) }, { near: this.canvas });
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (button?.dataset.detail) {
      this.field = button.dataset.detail;
      this.rails.later([]);
      this.showShape();
    } else if (button?.dataset.shape !== undefined) {
      this.shape(button);
    }
  }

  /** @param {PageEvent} event */
  change(event) {
    if (event.target.id === "detail-value") this.typed(event.target);
    else if (event.target.id === "shape-kind" || event.target.id === "shape-figure") this.showShape();
  }

  /** @param {any} field */
  typed(field) {
    const value = Number(field.value.replace("−", "-").replace(",", ".").replace(/[^\d.\-+]/g, ""));
    const low = this.facts.wide ? -this.facts.wide : this.facts.low;
    const high = this.facts.wide ?? this.facts.high;
    if (!Number.isFinite(value) || field.value.trim() === "" || value < low || value > high) {
      showNote(`'${field.value}' does not fit here: type a number from ${low} to ${high}.`, { near: field, wrong: true });
      return;
    }
    field.blur();
    this.push(this.targets.map((/** @type {import("../../shared/rail_data.js").Hit} */ hit) => [...placeOf(hit), value]));
  }

  // The fields a shape has, with a start worth having for the value shown.
  showShape() {
    const kind = byId("shape-kind")?.value;
    if (!kind) return;
    /** @type {any} */
    const shown = { line: ["start", "end"], curve: ["start", "end", "bend"], wave: ["start", "end", "count"], steps: ["weights"], random: ["start", "end"], scale: ["amount"], compress: ["amount"], tilt: ["amount"], shift: ["amount"], fixed: ["start"], limit: ["start", "end"], humanize: ["amount"], accents: byId("shape-figure").value === "own" ? ["figure", "weights", "amount"] : ["figure", "amount"] }[kind];
    for (const line of document.querySelectorAll("[data-shape-field]")) line.hidden = !shown.includes(line.dataset.shapeField);
    const { low, high, wide } = this.facts;
    const tenth = (high - low) / 10;
    const set = (/** @type {any} */ id, /** @type {any} */ value) => (byId(id).value = String(Number(value.toFixed(2))));
    const fresh = `${this.field} ${kind}`;
    if (this.shapeFor === fresh) return;
    /** @type {any} */
    this.shapeFor = fresh;
    set("shape-start", wide ? -tenth : low + (high - low) * 0.35);
    set("shape-end", wide ? tenth : low + (high - low) * 0.85);
    set("shape-amount", { scale: 90, compress: 50, humanize: this.field === "velocity" ? 8 : Math.round(tenth * 5) / 10 }[kind] ?? Math.round(tenth * 10) / 10);
  }

  /** @param {Piece} button */
  shape(button) {
    const { hits } = this;
    if (!hits.length) {
      showNote("There are no hits to shape: choose some, or put the cursor on a row that has them.", { near: button, wrong: true });
      return;
    }
    const number = (/** @type {any} */ id) => Number(byId(id).value) || 0;
    const weights = byId("shape-weights").value.split(/[ ,;]+/).filter(Boolean).map(Number).slice(0, 64);
    this.rails.push(
      {
        kind: "shape",
        field: this.field,
        places: hits.map(placeOf),
        shape: byId("shape-kind").value,
        start: number("shape-start"),
        end: number("shape-end"),
        bend: number("shape-bend"),
        count: number("shape-count") || 1,
        amount: number("shape-amount"),
        seed: Math.floor(Math.random() * 2 ** 31),
        figure: byId("shape-figure").value,
        weights: weights.every(Number.isFinite) ? weights : [],
        step_ticks: this.rails.data.step(hits[0].voice),
      },
      { near: button },
    );
  }
}
