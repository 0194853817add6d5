// The rails under the pointer: what is written, painted, wiped, drawn up or sideways, framed and moved. What is drawn
// before the answer is provisional: the server's hits replace it.

import { Chosen } from "./chosen.js";
import { Detail } from "./detail.js";
import { showLedger, showNote, speak } from "./notes.js";
import { drawRail, placed, tickOf, xOf } from "./rail_canvas.js";
import { keyOf, RailData } from "./rail_data.js";
import { RailKeys } from "./rail_keys.js";
import { ledgerText, spokenHit } from "./rail_words.js";
import { barsBetween, drawCounting, drawOverview } from "./ruler.js";

const DRAG_PX = 4;
const GRAB_PX = 8;
const NEW_VELOCITY = 96;
const LEAST_TICKS = 960; // one can zoom to a beat
const MOST_BARS = 16;

export class Rails {
  constructor(edits, page) {
    this.edits = edits;
    this.page = page;
    this.data = new RailData();
    this.look = { start: 0, end: 0, magnify: 3 };
    this.mode = "write";
    this.cursor = null;
    this.drag = null;
    this.bars = null;
    this.touches = new Map();
    this.marks = { chosen: new Set(), hot: null };
    this.chosen = new Chosen(this);
    this.detail = new Detail(this);
    this.keys = new RailKeys(this);
    const on = (name, run, options) => document.addEventListener(name, run, options);
    on("pointerdown", (event) => this.down(event));
    on("pointermove", (event) => this.move(event));
    on("pointerup", (event) => this.up(event));
    on("pointercancel", (event) => this.cancel(event));
    on("contextmenu", (event) => event.target.closest?.("canvas.rail") && event.preventDefault());
    on("dblclick", (event) => event.target.id === "counting" && this.chooseBars(null));
    on("wheel", (event) => this.wheel(event), { passive: false });
    on("click", (event) => this.click(event));
    on("focusin", (event) => event.target.id === "rail-rows" && this.showCursor());
    on("focusout", (event) => event.target.id === "rail-rows" && this.hideCursor());
    on("change", (event) => event.target.dataset?.dress && this.chosen.dressBy(event.target.dataset.dress, event.target.value));
    window.addEventListener("resize", () => this.later());
  }

  get box() {
    return document.getElementById("rail-rows");
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

  canvasOf(voice) {
    return document.querySelector(`#rail-${voice} canvas.rail`);
  }

  nameOf(voice) {
    return this.facts.names[voice] ?? voice;
  }

  find(voice, tick) {
    return this.data.hit(voice, tick);
  }

  push(edit, options) {
    this.edits.push(edit, options);
    this.data.foresee(edit);
    this.later();
  }

  say(words) {
    showNote(words, { near: this.box });
    speak(words);
  }

  // What is shown --------------------------------------------------------------------------------------------------
  arrive() {
    const text = document.getElementById("rail-data")?.textContent;
    if (text) this.take(JSON.parse(text));
    this.showMode();
    this.later();
  }

  take(rails) {
    if (!rails) return;
    const before = this.facts?.length;
    this.data.take(rails);
    for (const { edit } of this.edits.queue) if (edit) this.data.foresee(edit);
    if (!this.look.end || (before && before !== this.facts.length)) this.fit();
    this.chosen.prune();
    const run = this.afterAnswer;
    this.afterAnswer = null;
    if (run && !this.edits.queue.length) run();
    this.later();
  }

  // Two bars at first; after a change of length as much as was shown, if it is still there.
  fit() {
    const { length, bar } = this.facts;
    const span = this.look.end ? this.look.end - this.look.start : 2 * bar;
    this.show(Math.min(this.look.start, Math.max(0, length - span)), span);
    if (this.bars && (this.bars.from - 1 + this.bars.count) * bar > length) this.bars = null;
  }

  show(start, span) {
    const { length, bar } = this.facts;
    const shown = Math.max(Math.min(LEAST_TICKS, length), Math.min(span, MOST_BARS * bar, length));
    const from = Math.max(0, Math.min(start, length - shown));
    this.look = { ...this.look, start: from, end: from + shown };
    this.later();
  }

  zoom(factor, around = null) {
    const { start, end } = this.look;
    const at = around ?? (start + end) / 2;
    const span = Math.max(LEAST_TICKS, Math.min((end - start) * factor, MOST_BARS * this.facts.bar, this.facts.length));
    this.show(at - ((at - start) / (end - start)) * span, span);
  }

  scroll(ticks) {
    this.show(this.look.start + ticks, this.look.end - this.look.start);
  }

  magnify(factor) {
    this.look.magnify = factor;
    this.showMode();
    this.later();
  }

  setMode(mode) {
    this.mode = mode;
    this.showMode();
  }

  showMode() {
    const set = (button, on) => {
      button.classList.toggle("on", on);
      button.setAttribute("aria-pressed", on);
    };
    for (const button of document.querySelectorAll("[data-mode]")) set(button, button.dataset.mode === this.mode);
    for (const button of document.querySelectorAll("[data-magnify]")) set(button, Number(button.dataset.magnify) === this.look.magnify);
    this.box?.classList.toggle("selecting", this.mode === "select");
  }

  chosenChanged() {
    this.marks.chosen = this.chosen.keys;
    this.showMode();
    this.later();
    const count = this.chosen.keys.size;
    const line = document.getElementById("chosen-count");
    if (line) line.textContent = count ? `${count} chosen ▾` : "choose ▾";
  }

  // Drawn once a frame, however much has changed.
  later() {
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
    for (const voice of this.voices()) {
      const canvas = this.canvasOf(voice);
      const row = canvas.parentElement;
      canvas.classList.toggle("silent", row.dataset.sounding !== "true");
      drawRail(canvas, voice, this.data.hits(voice), look, facts, this.data.step(voice), this.marks);
    }
    drawCounting(document.getElementById("counting"), look, facts, this.bars);
    const overview = document.getElementById("overview");
    drawOverview(overview, look, this.data);
    overview.setAttribute("aria-valuemax", facts.length);
    overview.setAttribute("aria-valuenow", look.start);
    const first = Math.floor(look.start / facts.bar) + 1;
    const last = Math.ceil(look.end / facts.bar);
    document.getElementById("bars-shown").textContent = last > first ? `bars ${first}–${last}` : `bar ${first}`;
    overview.setAttribute("aria-valuetext", document.getElementById("bars-shown").textContent);
    this.detail.draw();
    this.showCursor();
    this.drawnAt = performance.now();
  }

  // Where a hit is on the page as drawn; for tests, and for what is put beside it.
  seen(voice, tick) {
    const hit = this.find(voice, tick);
    const canvas = this.canvasOf(voice);
    if (!hit || !canvas) return null;
    const box = canvas.getBoundingClientRect();
    const at = placed(hit, this.look, this.facts, box.width, box.height);
    return { ...hit, amounts: undefined, accents: undefined, x: box.left + at.x, y: box.top + at.head, foot: box.left + at.foot, label: spokenHit(hit, this.facts), ledger: ledgerText(hit, this.facts) };
  }

  // Geometry ---------------------------------------------------------------------------------------------------------
  percent(tick) {
    return xOf(tick, this.look, 100);
  }

  tickAt(canvas, clientX, voice) {
    const box = canvas.getBoundingClientRect();
    const step = this.data.step(voice);
    const slot = Math.round(tickOf(clientX - box.left, this.look, box.width) / step) * step;
    const last = Math.ceil(this.facts.length / step) * step - step;
    return Math.max(Math.ceil(this.look.start / step) * step, Math.min(slot, last));
  }

  msPerPixel(canvas) {
    const one = tickOf(1, this.look, canvas.clientWidth) - tickOf(0, this.look, canvas.clientWidth);
    return (one * this.facts.msPerTick) / this.look.magnify;
  }

  // The hit whose stem or head is under the pointer, the nearest of several.
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

  // The pointer --------------------------------------------------------------------------------------------------------
  down(event) {
    if (!this.facts || ![0, 2].includes(event.button)) return;
    if (event.target.id === "counting" || event.target.id === "overview") {
      this.downOnRuler(event);
      return;
    }
    const canvas = event.target.closest?.("canvas.rail");
    if (!canvas || !this.box) return;
    event.preventDefault();
    this.box.focus({ preventScroll: true });
    if (event.pointerType === "touch") this.touches.set(event.pointerId, event.clientX);
    if (this.touches.size === 2) {
      const [one, other] = [...this.touches.values()];
      this.drag = { pinches: true, apart: Math.abs(one - other), look: this.look };
      return;
    }
    const { voice } = canvas.parentElement.dataset;
    const hit = this.hitAt(canvas, event);
    const selects = this.mode === "select" || event.ctrlKey || event.metaKey;
    const base = { canvas, voice, hit, x: event.clientX, y: event.clientY, axis: null };
    canvas.setPointerCapture?.(event.pointerId);
    if (selects && event.button === 0) {
      this.drag = { ...base, selects: true, adds: event.shiftKey, copies: event.altKey };
      if (hit && !this.chosen.keys.has(keyOf(hit)) && !event.shiftKey) this.chosen.set([hit]);
      return;
    }
    if (event.button === 2 || event.shiftKey) {
      this.drag = { wipes: true, gone: new Map(), x: event.clientX, y: event.clientY };
      this.wipe(event);
      return;
    }
    const many = hit && this.chosen.keys.size > 1 && this.chosen.keys.has(keyOf(hit));
    this.drag = { ...base, tick: hit?.tick, velocity: hit?.velocity, own: hit?.own, many: many ? this.chosen.hits.map((one) => ({ ...one })) : null };
  }

  move(event) {
    if (this.touches.has(event.pointerId)) this.touches.set(event.pointerId, event.clientX);
    const { drag } = this;
    if (!drag) {
      this.hover(event);
      return;
    }
    if (drag.pinches) this.pinch();
    else if (drag.ruler) this.moveOnRuler(event);
    else if (drag.selects) this.moveChosen(event);
    else if (drag.wipes) this.wipe(event);
    else if (!drag.hit) this.paint(event);
    else this.turnHit(event);
  }

  hover(event) {
    const canvas = event.target.closest?.("canvas.rail");
    const hit = canvas && this.facts ? this.hitAt(canvas, event) : null;
    const key = hit ? keyOf(hit) : null;
    if (canvas) canvas.style.cursor = hit ? "grab" : this.mode === "select" ? "default" : "crosshair";
    if (key === this.marks.hot) return;
    this.marks.hot = key;
    if (hit) showLedger(ledgerText(hit, this.facts));
    this.later();
  }

  // A stem drawn up and down sets velocity, sideways the hit's own offset; chosen hits go along.
  turnHit(event) {
    const { drag } = this;
    const dx = event.clientX - drag.x;
    const dy = event.clientY - drag.y;
    if (!drag.axis) {
      if (Math.max(Math.abs(dx), Math.abs(dy)) < DRAG_PX) return;
      drag.axis = Math.abs(dy) >= Math.abs(dx) ? "velocity" : "offset_ms";
    }
    const hits = drag.many ?? [{ ...drag.hit, velocity: drag.velocity, own: drag.own }];
    const height = drag.canvas.clientHeight * 0.7 * 0.86;
    const velocity = (one) => Math.max(1, Math.min(127, Math.round(one.velocity - (dy / height) * 127)));
    const offset = (one) => Math.max(-250, Math.min(250, Math.round((one.own + dx * this.msPerPixel(drag.canvas)) * 10) / 10));
    drag.values = hits.map((one) => [one.voice, one.tick, drag.axis === "velocity" ? velocity(one) : offset(one)]);
    this.data.foresee({ kind: "values", field: drag.axis, values: drag.values });
    const [, , value] = drag.values[hits.findIndex((one) => one.tick === drag.tick && one.voice === drag.voice)];
    const words = drag.axis === "velocity" ? `velocity ${drag.velocity} → ${value}` : `own offset ${drag.own} → ${value} ms`;
    showLedger(`${this.nameOf(drag.voice)}|${words}${drag.many ? ` and ${hits.length - 1} more` : ""}`);
    this.later();
  }

  // Drawn along a rail: every slot passed gets a hit, and all of them are one move.
  paint(event) {
    const { drag } = this;
    if (!drag.ticks && Math.abs(event.clientX - drag.x) < DRAG_PX * 2) return;
    const step = this.data.step(drag.voice);
    const to = this.tickAt(drag.canvas, event.clientX, drag.voice);
    if (!drag.ticks) {
      drag.ticks = [];
      drag.last = this.tickAt(drag.canvas, drag.x, drag.voice);
      this.paintSlot(drag.last);
    }
    const side = Math.sign(to - drag.last);
    for (let tick = drag.last + side * step; side && (to - tick) * side >= 0; tick += side * step) this.paintSlot(tick);
    drag.last = to;
    showLedger(`${this.nameOf(drag.voice)}|${drag.ticks.length} hits`);
    this.later();
  }

  paintSlot(tick) {
    const { voice, ticks } = this.drag;
    if (ticks.includes(tick) || this.find(voice, tick)) return;
    ticks.push(tick);
    this.data.foresee({ kind: "write", voice, tick, velocity: NEW_VELOCITY });
  }

  // Wiped over: what lies under the pointer's way goes, on every rail it crosses.
  wipe(event) {
    const { drag } = this;
    const far = Math.max(Math.abs(event.clientX - drag.x), Math.abs(event.clientY - drag.y));
    const pieces = Math.max(1, Math.ceil(far / 5));
    for (let piece = 1; piece <= pieces; piece += 1) {
      const at = { clientX: drag.x + ((event.clientX - drag.x) * piece) / pieces, clientY: drag.y + ((event.clientY - drag.y) * piece) / pieces };
      const canvas = document.elementFromPoint(at.clientX, at.clientY)?.closest?.("canvas.rail");
      const hit = canvas && this.hitAt(canvas, at);
      if (!hit || hit.waiting) continue;
      drag.gone.set(keyOf(hit), [hit.voice, hit.tick]);
      this.data.foresee({ kind: "remove", voice: hit.voice, tick: hit.tick });
    }
    drag.x = event.clientX;
    drag.y = event.clientY;
    showLedger(`wipe|${drag.gone.size} hit${drag.gone.size === 1 ? "" : "s"}`);
    this.later();
  }

  // Choosing: from a hit the chosen ones move, from elsewhere a frame is drawn.
  moveChosen(event) {
    const { drag } = this;
    const dx = event.clientX - drag.x;
    const dy = event.clientY - drag.y;
    if (!drag.moved && Math.max(Math.abs(dx), Math.abs(dy)) < DRAG_PX) return;
    drag.moved = true;
    if (!drag.hit) {
      this.frame(event);
      return;
    }
    const step = this.data.step(drag.voice);
    const box = drag.canvas.getBoundingClientRect();
    drag.ticks = Math.round((tickOf(event.clientX - box.left, this.look, box.width) - tickOf(drag.x - box.left, this.look, box.width)) / step) * step;
    const over = document.elementsFromPoint(Math.min(Math.max(event.clientX, box.left + 1), box.right - 1), event.clientY).find((one) => one.matches?.("canvas.rail"));
    const voices = this.voices();
    if (over) drag.rails = voices.indexOf(over.parentElement.dataset.voice) - voices.indexOf(drag.voice);
    drag.copies = event.altKey;
    const slots = Math.round(drag.ticks / step);
    showLedger(`${drag.copies ? "copy" : "move"} ${this.chosen.keys.size} hits|${slots} slot${Math.abs(slots) === 1 ? "" : "s"}, ${drag.rails ?? 0} rails|Alt copies`);
    this.showMoving();
  }

  // Where the chosen hits would come to lie.
  showMoving() {
    const { drag } = this;
    const voices = this.voices();
    const missing = new Map();
    for (const hit of this.chosen.hits) {
      const voice = voices[voices.indexOf(hit.voice) + (drag.rails ?? 0)];
      if (voice) missing.set(voice, [...(missing.get(voice) ?? []), { ...hit, tick: hit.tick + drag.ticks }]);
    }
    this.marks.missing = missing;
    this.later();
  }

  frame(event) {
    const { drag } = this;
    const mark = document.getElementById("frame");
    const stack = mark.parentElement.getBoundingClientRect();
    const [left, right] = [drag.x, event.clientX].sort((one, other) => one - other);
    const [top, bottom] = [drag.y, event.clientY].sort((one, other) => one - other);
    mark.hidden = false;
    Object.assign(mark.style, { left: `${left - stack.left}px`, top: `${top - stack.top}px`, width: `${right - left}px`, height: `${bottom - top}px` });
    const inside = [];
    for (const voice of this.voices()) {
      const box = this.canvasOf(voice).getBoundingClientRect();
      if (box.bottom < top || box.top > bottom) continue;
      for (const hit of this.data.hits(voice)) {
        if (hit.tick < this.look.start || hit.tick > this.look.end) continue;
        const at = placed(hit, this.look, this.facts, box.width, box.height);
        const x = box.left + at.x;
        if (x >= left && x <= right && box.top + at.head <= bottom && box.top + at.base >= top) inside.push(hit);
      }
    }
    this.chosen.set(drag.adds ? [...this.chosen.hits, ...inside] : inside);
  }

  up(event) {
    this.touches.delete(event.pointerId);
    const drag = this.drag;
    this.drag = null;
    if (!drag || drag.pinches) return;
    if (drag.ruler) this.upOnRuler(event, drag);
    else if (drag.selects) this.upChoosing(drag, event);
    else if (drag.wipes) {
      if (drag.gone.size) this.push({ kind: "wipe", places: [...drag.gone.values()] }, { near: this.box });
    } else this.upWriting(drag, event);
    this.showCursor();
    this.later();
  }

  upChoosing(drag, event) {
    document.getElementById("frame").hidden = true;
    this.marks.missing = null;
    if (drag.moved && drag.hit) this.chosen.move(drag.ticks ?? 0, drag.rails ?? 0, drag.copies);
    else if (drag.hit && drag.adds) this.chosen.toggle(drag.hit);
    else if (drag.hit) this.chosen.set([drag.hit]);
    else if (!drag.moved) this.chosen.clear();
    if (!drag.moved) this.putCursor(drag.voice, drag.hit?.tick ?? this.tickAt(drag.canvas, event.clientX, drag.voice));
  }

  upWriting(drag, event) {
    const { voice, tick, hit, canvas } = drag;
    if (drag.ticks) {
      this.cursor = { voice, tick: drag.last };
      if (drag.ticks.length) this.push({ kind: "paint", voice, ticks: drag.ticks, velocity: NEW_VELOCITY }, { near: canvas });
    } else if (hit && drag.axis) {
      this.cursor = { voice, tick };
      if (drag.many) this.push({ kind: "values", field: drag.axis, values: drag.values }, { near: canvas });
      else if (drag.axis === "velocity") this.push({ kind: "velocity", voice, tick, velocity: drag.values[0][2] }, { near: canvas });
      else this.push({ kind: "offset", voice, tick, offset_ms: drag.values[0][2] }, { near: canvas });
    } else if (hit) {
      this.cursor = { voice, tick };
      this.remove(voice, tick);
    } else if (event.target.closest?.("canvas.rail") === canvas) {
      const slot = this.tickAt(canvas, event.clientX, voice);
      this.cursor = { voice, tick: slot };
      if (!this.find(voice, slot)) this.write(voice, slot);
    }
  }

  cancel(event) {
    this.touches.delete(event.pointerId);
    this.drag = null;
    this.marks.missing = null;
    const mark = document.getElementById("frame");
    if (mark) mark.hidden = true;
    this.page.refresh();
  }

  write(voice, tick, velocity = NEW_VELOCITY) {
    this.push({ kind: "write", voice, tick, velocity }, { near: this.canvasOf(voice) });
  }

  remove(voice, tick) {
    this.push({ kind: "remove", voice, tick }, { near: this.canvasOf(voice) });
  }

  // Ruler, overview, wheel, touch -------------------------------------------------------------------------------------
  downOnRuler(event) {
    event.preventDefault();
    event.target.setPointerCapture(event.pointerId);
    this.drag = { ruler: event.target.id, x: event.offsetX, y: event.clientY, look: this.look, width: event.target.clientWidth };
    if (event.target.id === "overview") {
      const tick = (event.offsetX / this.drag.width) * this.facts.length;
      const span = this.look.end - this.look.start;
      if (tick < this.look.start || tick > this.look.end) this.show(tick - span / 2, span);
      this.drag.look = this.look;
    } else {
      this.drag.had = this.bars;
      this.chooseBars(barsBetween(event.offsetX, event.offsetX, this.look, this.facts, this.drag.width));
    }
  }

  moveOnRuler(event) {
    const { drag } = this;
    const x = event.clientX - document.getElementById(drag.ruler).getBoundingClientRect().left;
    if (drag.ruler === "counting") {
      this.chooseBars(barsBetween(drag.x, x, this.look, this.facts, drag.width));
      drag.moved ||= Math.abs(x - drag.x) > DRAG_PX;
      return;
    }
    const span = (drag.look.end - drag.look.start) * 2 ** ((event.clientY - drag.y) / 60);
    const middle = (drag.look.start + drag.look.end) / 2 + ((x - drag.x) / drag.width) * this.facts.length;
    this.show(middle - span / 2, span);
  }

  upOnRuler(event, drag) {
    const { had } = drag;
    if (drag.ruler === "counting" && !drag.moved && had && had.from === this.bars?.from && had.count === this.bars.count) this.chooseBars(null);
  }

  chooseBars(bars) {
    this.bars = bars;
    const line = document.getElementById("bars-chosen");
    if (line) line.textContent = bars ? (bars.count > 1 ? `bars ${bars.from} to ${bars.from + bars.count - 1} chosen` : `bar ${bars.from} chosen`) : "draw over the ruler to choose some";
    this.later();
  }

  wheel(event) {
    const rows = event.target.closest?.("#rail-rows, #counting, #overview, #detail");
    if (!rows || !this.facts) return;
    const box = (document.querySelector("canvas.rail") ?? rows).getBoundingClientRect();
    if (event.ctrlKey || event.metaKey) {
      event.preventDefault();
      this.zoom(2 ** (event.deltaY / 240), tickOf(event.clientX - box.left, this.look, box.width));
      return;
    }
    const scrolls = rows.id === "rail-rows" && rows.scrollHeight > rows.clientHeight + 1;
    const sideways = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX || (scrolls ? 0 : event.deltaY);
    if (!sideways) return;
    event.preventDefault();
    this.scroll((sideways / box.width) * (this.look.end - this.look.start));
  }

  pinch() {
    const [one, other] = [...this.touches.values()];
    if (other === undefined) return;
    const { apart, look } = this.drag;
    const box = document.querySelector("canvas.rail").getBoundingClientRect();
    const span = (look.end - look.start) * (apart / Math.max(20, Math.abs(one - other)));
    const at = tickOf((one + other) / 2 - box.left, look, box.width);
    this.show(at - ((at - look.start) / (look.end - look.start)) * span, span);
  }

  // The tools ------------------------------------------------------------------------------------------------------------
  click(event) {
    const button = event.target.closest?.("button");
    if (!button || !this.facts) return;
    const { dataset } = button;
    if (dataset.mode) this.setMode(dataset.mode);
    else if (dataset.magnify) this.magnify(Number(dataset.magnify));
    else if (dataset.choose) this.chosen.by(dataset.choose);
    else if (dataset.dress) this.chosen.dressBy(dataset.dress, dataset.value);
    else if (dataset.deed) this.deed(dataset.deed, Number(dataset.by));
    else if (dataset.speed) this.push({ kind: "speed", factor: Number(dataset.speed) }, { near: button });
    else if (dataset.barsEdit) this.barsEdit(dataset.barsEdit, button);
    else if (dataset.zoom) this.zoom(Number(dataset.zoom));
  }

  deed(name, by) {
    const { chosen } = this;
    const deeds = {
      ghost: () => chosen.velocity(38),
      accent: () => chosen.velocity(116),
      plain: () => chosen.plain(),
      lock: () => chosen.lock(),
      remove: () => chosen.remove(),
      stretch: () => chosen.stretch(by),
      slot: () => chosen.nudge(((this.data.step(chosen.targets[0]?.voice) * by) / 100) * this.facts.msPerTick),
      place: () => this.lockPlace(),
    };
    if (deeds[name]) deeds[name]();
    else if (["flam", "drag", "ratchet", "roll"].includes(name)) chosen.ornament(name);
    else chosen.turn(name);
  }

  lockPlace() {
    const tick = this.cursor?.tick ?? this.chosen.hits[0]?.tick;
    if (tick === undefined) this.say("Put the cursor on the place first.");
    else this.push({ kind: "lock_place", tick, locked: !this.facts.lockedPlaces.includes(tick % this.facts.bar) }, { near: this.box });
  }

  barsEdit(what, near) {
    const { bar, length } = this.facts;
    const shown = { from: Math.floor(this.look.start / bar) + 1, count: Math.max(1, Math.round((this.look.end - this.look.start) / bar)) };
    const { from, count } = this.bars ?? (what === "break" || what === "drop" ? {} : shown);
    if (!from) {
      showNote("Choose bars first: draw over the ruler.", { near, wrong: true });
      return;
    }
    const after = Math.min(from + count, Math.ceil(length / bar) + 1);
    const edits = {
      drop: { kind: "drop_bars", from_bar: from, bars: count },
      add: { kind: "add_bars", from_bar: after, bars: 1 },
      copy: { kind: "add_bars", from_bar: after, bars: count, copies: true },
      break: { kind: "break", from_bar: from, bars: count, keep: this.keptVoices() },
    };
    this.push(edits[what], { near });
    if (what === "drop") this.chooseBars(null);
  }

  // In a break the soloed rows go on, and those of the chosen hits.
  keptVoices() {
    const soloed = [...document.querySelectorAll('.rail-row:has([data-mix="solo"][aria-pressed="true"])')].map((row) => row.dataset.voice);
    return [...new Set([...soloed, ...this.chosen.hits.map(({ voice }) => voice)])];
  }

  // The cursor -------------------------------------------------------------------------------------------------------------
  ensureCursor() {
    const voices = this.voices();
    if (!this.cursor || !voices.includes(this.cursor.voice)) this.cursor = { voice: voices[0], tick: Math.ceil(this.look.start / this.facts.step) * this.facts.step };
    this.cursor.tick = Math.max(0, Math.min(this.cursor.tick, this.facts.length - 1));
  }

  putCursor(voice, tick) {
    this.cursor = { voice, tick };
    this.ensureCursor();
    const { start, end } = this.look;
    if (this.cursor.tick < start || this.cursor.tick >= end) this.show(Math.floor(this.cursor.tick / this.facts.bar) * this.facts.bar, end - start);
    this.later();
  }

  showCursor() {
    const mark = document.getElementById("cursor");
    if (!mark || document.activeElement !== this.box || !this.facts) return;
    this.ensureCursor();
    const row = document.getElementById(`rail-${this.cursor.voice}`);
    const canvas = row.querySelector("canvas.rail");
    const { start, end } = this.look;
    mark.hidden = this.cursor.tick < start || this.cursor.tick > end;
    mark.style.left = `${canvas.offsetLeft + xOf(this.cursor.tick, this.look, canvas.clientWidth)}px`;
    mark.style.top = `${row.offsetTop + 2}px`;
    mark.style.height = `${row.offsetHeight - 5}px`;
  }

  hideCursor() {
    const mark = document.getElementById("cursor");
    if (mark) mark.hidden = true;
  }

  key(event) {
    return this.facts && this.keys.press(event);
  }
}
