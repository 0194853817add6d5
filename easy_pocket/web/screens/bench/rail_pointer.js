// What the pointer does on the rails, the ruler and the overview: write, paint, wipe, draw up or sideways, frame, move,
// choose bars, scroll and zoom. Rails builds on it; what is drawn here is provisional until the server answers.

import { byId } from "../../shared/dom.js";
import { showLedger } from "../../shared/notes.js";
import { placed, tickOf } from "../../shared/rail_geometry.js";
import { keyOf } from "../../shared/rail_data.js";
import { ledgerText } from "../../shared/rail_words.js";
import { RailView } from "./rail_view.js";
import { DRAG_PX, capture, downOnRuler, moveOnRuler, pinch, upOnRuler } from "./rail_ruler_pointer.js";

const HEAD_PX = 8; // under a head's middle: what is grabbed lower is the stem
const NEW_VELOCITY = 96;
const HOLD_MS = 450;

export class RailPointer extends RailView {
  /** @type {any} */
  marks;
  /** @type {any} */
  drag = null;
  touches = new Map();
  /** @type {any} */
  holding = null;
  wrote = ""; // key of what the last press wrote
  /** @type {any} */
  pressed = null; // a hit that was pressed, until the click comes

  /**
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
  down(event) {
    this.pressed = null; // a press whose click never came takes nothing away later
    if (!this.facts || ![0, 2].includes(event.button)) return;
    if (event.target.id === "counting" || event.target.id === "overview") {
      downOnRuler(this, event);
      return;
    }
    const beside = event.target.closest?.("canvas.other-rail");
    if (beside) {
      this.others.enter(event, beside);
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
    capture(canvas, event.pointerId);
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
    const byHead = hit && event.clientY < this.seen(voice, hit.tick).y + HEAD_PX;
    if (event.pointerType === "touch") this.holdToWipe(event);
    this.drag = { ...base, byHead, tick: hit?.tick, velocity: hit?.velocity, own: hit?.own, many: many ? this.chosen.hits.map((one) => ({ ...one })) : null };
  }

  /**
   * A finger that rests does what the second button does: it wipes.
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
  holdToWipe(event) {
    clearTimeout(this.holding);
    const { clientX, clientY } = event;
    this.holding = setTimeout(() => {
      if (!this.drag || this.drag.axis || this.drag.ticks || this.touches.size !== 1) return;
      this.drag = { wipes: true, gone: new Map(), x: clientX, y: clientY };
      navigator.vibrate?.(12);
      this.wipe(/** @type {any} */ ({ clientX, clientY }));
    }, HOLD_MS);
  }

  /**
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
  move(event) {
    if (this.drag && !this.drag.wipes && Math.hypot(event.clientX - this.drag.x, event.clientY - this.drag.y) > DRAG_PX) clearTimeout(this.holding);
    if (this.touches.has(event.pointerId)) this.touches.set(event.pointerId, event.clientX);
    const { drag } = this;
    if (!drag) {
      this.hover(event);
      return;
    }
    if (drag.pinches) pinch(this);
    else if (drag.ruler) moveOnRuler(this, event);
    else if (drag.selects) this.moveChosen(event);
    else if (drag.wipes) this.wipe(event);
    else if (!drag.hit) this.paint(event);
    else this.turnHit(event);
  }

  /**
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
  hover(event) {
    const canvas = event.target.closest?.("canvas.rail");
    const hit = canvas && this.facts ? this.hitAt(canvas, event) : null;
    const key = hit ? keyOf(hit) : null;
    if (canvas) canvas.style.cursor = hit ? "grab" : this.mode === "select" ? "default" : "crosshair";
    if (key === this.marks.hot) return;
    const touched = [this.marks.hot, key].filter(Boolean).map((one) => one.split(" ")[0]);
    this.marks.hot = key;
    if (hit) showLedger(ledgerText(hit, this.facts, this.marks.targets?.get(hit.voice)?.get(hit.tick)));
    this.later(touched);
  }

  /**
   * A stem drawn up and down sets velocity, a head drawn sideways the hit's own offset; chosen hits go along.
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
  turnHit(event) {
    const { drag } = this;
    const dx = event.clientX - drag.x;
    const dy = event.clientY - drag.y;
    if (!drag.axis) {
      if (Math.max(Math.abs(dx), Math.abs(dy)) < DRAG_PX) return;
      drag.axis = Math.abs(dy) >= Math.abs(dx) ? "velocity" : "offset_ms";
    }
    if (drag.axis === "offset_ms" && !drag.many && !drag.byHead) {
      // Sideways from the stem or the foot: painted from here on, and the hit stays as it was.
      Object.assign(drag, { hit: null, ticks: [], last: this.tickAt(drag.canvas, drag.x, drag.voice) });
      this.paint(event);
      return;
    }
    const hits = drag.many ?? [{ ...drag.hit, velocity: drag.velocity, own: drag.own }];
    const height = drag.canvas.clientHeight * 0.7 * 0.86;
    const velocity = (/** @type {any} */ one) => Math.max(1, Math.min(127, Math.round(one.velocity - (dy / height) * 127)));
    const offset = (/** @type {any} */ one) => Math.max(-250, Math.min(250, Math.round((one.own + dx * this.msPerPixel(drag.canvas)) * 10) / 10));
    drag.values = hits.map((/** @type {any} */ one) => [one.voice, one.tick, drag.axis === "velocity" ? velocity(one) : offset(one)]);
    this.data.foresee({ kind: "values", field: drag.axis, values: drag.values });
    const [, , value] = drag.values[hits.findIndex((/** @type {any} */ one) => one.tick === drag.tick && one.voice === drag.voice)];
    const words = drag.axis === "velocity" ? `velocity ${drag.velocity} → ${value}` : `own offset ${drag.own} → ${value} ms`;
    showLedger(`${this.nameOf(drag.voice)}|${words}${drag.many ? ` and ${hits.length - 1} more` : ""}`);
    this.later(new Set(hits.map((/** @type {any} */ one) => one.voice)));
  }

  /**
   * Drawn along a rail: every slot passed gets a hit, and all of them are one move.
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
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
    this.later([drag.voice]);
  }

  /**
   * @param {number} tick
   * @this {import("./rails.js").Rails}
   */
  paintSlot(tick) {
    const { voice, ticks } = this.drag;
    if (ticks.includes(tick) || this.find(voice, tick)) return;
    ticks.push(tick);
    this.data.foresee({ kind: "write", voice, tick, velocity: NEW_VELOCITY });
  }

  /**
   * Wiped over: what lies under the pointer's way goes, on every rail it crosses.
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
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

  /**
   * Choosing: from a hit the chosen ones move, from elsewhere a frame is drawn.
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
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
    const over = /** @type {Piece[]} */ (document.elementsFromPoint(Math.min(Math.max(event.clientX, box.left + 1), box.right - 1), event.clientY)).find((one) => one.matches?.("canvas.rail"));
    const voices = this.voices();
    if (over) drag.rails = voices.indexOf(over.parentElement.dataset.voice) - voices.indexOf(drag.voice);
    drag.copies = event.altKey;
    const slots = Math.round(drag.ticks / step);
    showLedger(`${drag.copies ? "copy" : "move"} ${this.chosen.keys.size} hits|${slots} slot${Math.abs(slots) === 1 ? "" : "s"}, ${drag.rails ?? 0} rails|Alt copies`);
    this.showMoving();
  }

  // Where the chosen hits would come to lie.
  /** @this {import("./rails.js").Rails} */
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

  /**
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
  frame(event) {
    const { drag } = this;
    const mark = byId("frame");
    const stack = mark.parentElement.getBoundingClientRect();
    const [left, right] = [drag.x, event.clientX].sort((one, other) => one - other);
    const [top, bottom] = [drag.y, event.clientY].sort((one, other) => one - other);
    mark.hidden = false;
    Object.assign(mark.style, { left: `${left - stack.left}px`, top: `${top - stack.top}px`, width: `${right - left}px`, height: `${bottom - top}px` });
    const inside = [];
    for (const voice of this.shownVoices()) {
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

  /**
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
  up(event) {
    this.touches.delete(event.pointerId);
    clearTimeout(this.holding);
    const drag = this.drag;
    this.drag = null;
    if (!drag || drag.pinches) return;
    if (drag.ruler) upOnRuler(this, event, drag);
    else if (drag.selects) this.upChoosing(drag, event);
    else if (drag.wipes) {
      if (drag.gone.size) this.push({ kind: "wipe", places: [...drag.gone.values()] }, { near: this.box });
    } else this.upWriting(drag, event);
    this.showCursor();
    this.later();
  }

  /**
   * @param {any} drag
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
  upChoosing(drag, event) {
    byId("frame").hidden = true;
    this.marks.missing = null;
    if (drag.moved && drag.hit) this.chosen.move(drag.ticks ?? 0, drag.rails ?? 0, drag.copies);
    else if (drag.hit && drag.adds) this.chosen.toggle(drag.hit);
    else if (drag.hit) this.chosen.set([drag.hit]);
    else if (!drag.moved) this.chosen.clear();
    if (!drag.moved) this.putCursor(drag.voice, drag.hit?.tick ?? this.tickAt(drag.canvas, event.clientX, drag.voice));
  }

  /**
   * @param {any} drag
   * @param {PageEvent} event
   * @this {import("./rails.js").Rails}
   */
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
      // The click that follows at once tells whether it is the second of two; what is replayed has none.
      if (event.isTrusted) this.pressed = hit;
      else this.remove(voice, tick);
    } else if (event.target.closest?.("canvas.rail") === canvas) {
      const slot = this.tickAt(canvas, event.clientX, voice);
      this.cursor = { voice, tick: slot };
      if (this.find(voice, slot)) return;
      this.wrote = keyOf({ voice, tick: slot });
      this.write(voice, slot);
    }
  }

  // Escape in the middle of drawing: nothing is made, and what was drawn ahead of it goes.
  /** @this {import("./rails.js").Rails} */
  letGo() {
    if (this.others.letGo()) return true;
    if (!this.drag) return false;
    this.cancel({});
    this.page.refresh();
    return true;
  }

  /**
   * @param {any} event
   * @this {import("./rails.js").Rails}
   */
  cancel(event) {
    this.touches.delete(event.pointerId);
    const { ticks = [], voice } = this.drag ?? {};
    for (const tick of ticks) this.data.row(voice)?.remove(tick); // painted ahead of the server: gone at once
    this.drag = null;
    this.marks.missing = null;
    const mark = byId("frame");
    if (mark) mark.hidden = true;
    this.page.refresh();
  }

  /**
   * @param {string} voice
   * @param {number} tick
   * @param {number} [velocity]
   * @this {import("./rails.js").Rails}
   */
  write(voice, tick, velocity = NEW_VELOCITY) {
    this.push({ kind: "write", voice, tick, velocity }, { near: this.canvasOf(voice) });
  }

  /**
   * @param {string} voice
   * @param {number} tick
   * @this {import("./rails.js").Rails}
   */
  remove(voice, tick) {
    this.push({ kind: "remove", voice, tick }, { near: this.canvasOf(voice) });
  }

  /**
   * @param {any} bars
   * @this {import("./rails.js").Rails}
   */
  chooseBars(bars) {
    this.bars = bars;
    const line = byId("bars-chosen");
    if (line) line.textContent = bars ? (bars.count > 1 ? `bars ${bars.from} to ${bars.from + bars.count - 1} chosen` : `bar ${bars.from} chosen`) : "draw over the ruler to choose some";
    this.later();
  }

}
