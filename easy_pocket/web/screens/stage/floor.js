// The floor: a sound is drawn sideways for pan and up for room; the wheel over it sets its level. Nothing is drawn here
// but what a hand moves; the server draws the rest.

import { byId } from "../../shared/dom.js";

const LEFT = 48;
const RIGHT = 692;
const MIDDLE = 370;
const ROOM_TOP = 94;
const ROOM_FOOT = 182;
const FAR_PX = 4; // a press that moves less is none
const STRIKE_MS = 110;

export class Floor {
  /** @param {import("./stage.js").default} stage */
  constructor(stage) {
    this.stage = stage;
    /** @type {any} */
    this.drag = null;
    this.told = 0;
    stage.on("pointerdown", (event) => this.down(event));
    stage.on("pointermove", (event) => this.move(event));
    stage.on("pointerup", () => this.up());
    stage.on("pointercancel", () => this.letGo());
    stage.on("wheel", (event) => this.wheel(event), { passive: false });
  }

  get svg() {
    return /** @type {any} */ (byId("stage-floor")?.querySelector("svg"));
  }

  // Where a pointer is, in the floor's own units.
  /** @param {PageEvent} event */
  at(event) {
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    return { x: point.x, y: point.y };
  }

  /** @param {PageEvent} event */
  down(event) {
    const inside = event.target.closest?.("#stage-floor [data-where]");
    if (!inside || event.button !== 0) return;
    this.stage.choose(inside.dataset.where);
    if (!inside.classList.contains("sound") || !inside.dataset.where.startsWith("part:")) return;
    const from = this.at(event);
    const [, x, y] = /translate\(([-\d.]+) ([-\d.]+)\)/.exec(inside.getAttribute("transform") ?? "") ?? [0, 0, 0];
    this.drag = { sound: inside, from, x: Number(x), y: Number(y), was: inside.getAttribute("transform"), gesture: `floor${Date.now() % 1e7}`, moved: false, client: [event.clientX, event.clientY] };
    this.svg.setPointerCapture?.(event.pointerId);
  }

  /** @param {PageEvent} event */
  move(event) {
    const { drag } = this;
    if (!drag) return;
    if (!drag.moved && Math.hypot(event.clientX - drag.client[0], event.clientY - drag.client[1]) < FAR_PX) return;
    const now = this.at(event);
    // Along one side only, with Shift.
    const [dx, dy] = [now.x - drag.from.x, now.y - drag.from.y];
    const along = event.shiftKey && Math.abs(dx) > Math.abs(dy);
    const across = event.shiftKey && !along;
    drag.moved = true;
    const x = across ? drag.x : Math.max(LEFT, Math.min(RIGHT, drag.x + dx));
    const y = along ? drag.y : Math.max(ROOM_TOP, Math.min(376, drag.y + dy));
    const shown = this.sound(drag.sound.dataset.where) ?? drag.sound;
    shown.setAttribute("transform", `translate(${x.toFixed(1)} ${y.toFixed(1)})`);
    drag.pan = Math.abs(x - MIDDLE) < 5 ? 0 : Math.round(((x - MIDDLE) / (RIGHT - MIDDLE)) * 100) / 100;
    drag.percent = Math.round(100 * Math.max(0, (ROOM_FOOT - y) / (ROOM_FOOT - ROOM_TOP)) ** 2);
    if (across) drag.pan = Number(drag.sound.dataset.pan);
    if (along) drag.percent = Number(drag.sound.dataset.send);
    this.send(drag.sound.dataset.where, drag.pan, drag.percent, drag.gesture);
  }

  /** @param {string} where */
  sound(where) {
    return document.querySelector(`.sound[data-where="${where}"]`);
  }

  /**
   * @param {string} where
   * @param {number} pan
   * @param {number} percent
   * @param {string} gesture
   */
  send(where, pan, percent, gesture) {
    this.stage.push({ kind: "stage_move", where, pan, to: this.stage.room, percent, section_id: this.stage.section }, byId("stage-floor"), gesture);
  }

  up() {
    const { drag } = this;
    this.drag = null;
    if (drag?.moved) this.stage.page.refresh();
  }

  // Escape: the sound goes back to where it was.
  letGo() {
    const { drag } = this;
    if (!drag) return false;
    this.drag = null;
    if (drag.moved) {
      const { where, pan, send } = drag.sound.dataset;
      this.send(where, Number(pan), Number(send), drag.gesture);
    }
    this.sound(drag.sound.dataset.where)?.setAttribute("transform", drag.was);
    return true;
  }

  /** @param {PageEvent} event */
  wheel(event) {
    const sound = event.target.closest?.("#stage-floor .sound");
    if (!sound) return;
    event.preventDefault();
    const level = Math.max(-60, Math.min(12, Number(sound.dataset.level) - Math.sign(event.deltaY) * 0.5));
    sound.dataset.level = `${level}`;
    this.stage.level(sound.dataset.where, level, byId("stage-floor"), "wheel");
  }

  /**
   * By keys: the chosen sound sideways, or further back.
   * @param {number} pan
   * @param {number} percent
   */
  nudge(pan, percent) {
    const sound = this.stage.chosen;
    if (!sound?.dataset.where.startsWith("part:")) return true;
    const [, part, voice] = sound.dataset.where.split(":");
    const near = byId("stage-floor");
    if (pan) {
      const value = Math.max(-1, Math.min(1, Math.round((Number(sound.dataset.pan) + pan) * 100) / 100));
      sound.dataset.pan = `${value}`;
      this.stage.push({ kind: "mix", part_id: Number(part), voice, field: "pan", value }, near, `keys-pan ${sound.dataset.where}`);
    }
    if (percent) {
      const value = Math.max(0, Math.min(100, Number(sound.dataset.send) + percent));
      sound.dataset.send = `${value}`;
      this.stage.push({ kind: "stage_send", where: sound.dataset.where, to: this.stage.room, percent: value }, near, `keys-room ${sound.dataset.where}`);
    }
    return true;
  }

  // What strikes is seen to strike.
  strike() {
    const { player } = this.stage.page;
    const position = player.position;
    if (position === null || !player.heard) return;
    const { start_s, place, places } = player.sounds(0) ?? { start_s: [], place: [], places: [] };
    const from = Math.min(this.told, position);
    const before = position - this.told > 0 && position - this.told < 0.5 ? this.told : position - 0.02;
    this.told = position;
    if (from < 0) return;
    start_s.forEach((/** @type {number} */ at, /** @type {number} */ index) => {
      if (at <= before || at > position) return;
      const sound = this.sound(places[place[index]]);
      if (!sound) return;
      sound.classList.add("sounding");
      setTimeout(() => sound.classList.remove("sounding"), STRIKE_MS);
    });
  }
}
