// The rails of the parts that are not being written, on the same ruler. A press in one selects its part and writes there.

import { selection } from "../../shared/selection.js";
import { showNote } from "../../shared/notes.js";
import { colours, fitted } from "../../shared/canvas.js";
import { tickOf, xOf } from "../../shared/rail_geometry.js";
import { paintRail } from "../../shared/rail_canvas.js";

const FOLDED = "easy-pocket-folded";
const NOTHING_MARKED = { chosen: new Set(), hot: null };
const POINTER = ["button", "clientX", "clientY", "pointerId", "pointerType", "shiftKey", "ctrlKey", "metaKey", "altKey"];

export class OtherRails {
  /** @param {import("./rails.js").Rails} rails */
  constructor(rails) {
    this.rails = rails;
    this.folded = new Set(JSON.parse(sessionStorage.getItem(FOLDED) || "[]"));
    /** @type {WeakMap<object, Map<string, import("../../shared/rail_data.js").Hit[]>>} */
    this.hits = new WeakMap();
    /** @type {Hand | null} */
    this.hand = null; // what is done on a rail while its part is on its way
    document.addEventListener("click", (event) => this.click(event));
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.(".part-head button, .other-row button");
    if (!button) return;
    const part = Number(button.closest("[data-part]").dataset.part);
    const { dataset } = button;
    if (dataset.fold !== undefined) this.fold(part);
    else if (dataset.lookPart !== undefined) this.look(part, Number(dataset.pattern ?? 0));
    else if (dataset.partSwitch) {
      const value = button.getAttribute("aria-pressed") !== "true";
      this.rails.edits.push({ kind: "part_set", part_id: part, field: dataset.partSwitch, value }, { near: button });
    } else if (button.closest(".other-row") && !dataset.mix) this.pressIn(part, button);
  }

  /**
   * Write another part; the place on the ruler stays.
   * @param {number} part
   * @param {number} [pattern] 0 for the one that plays here
   */
  look(part, pattern = 0) {
    Object.assign(selection, { part, pattern });
    this.rails.chosen.clear();
    this.rails.page.view.scope = "part";
    return this.rails.page.refresh();
  }

  /**
   * A name or the tools of a row: its part is selected, then the same is pressed there.
   * @param {number} part
   * @param {Piece} button
   */
  async pressIn(part, button) {
    const { voice } = button.closest("[data-voice]").dataset;
    const same = button.dataset.scope ? "[data-scope]" : "[data-row-tools]";
    await this.look(part);
    document.querySelector(`#rail-${voice} ${same}`)?.click();
  }

  /**
   * From the first or last rail of a part to the next one's, by keys.
   * @param {1 | -1} by
   * @returns {boolean} whether there is one that is not folded
   */
  step(by) {
    const rows = /** @type {Piece[]} */ ([...document.querySelectorAll(".rail-row:not([hidden]), .other-row:not([hidden])")]);
    const at = rows.findIndex((row) => row.id === `rail-${this.rails.cursor.voice}` && row.matches(".rail-row"));
    const next = rows[at + by];
    if (!next?.dataset.part) return false;
    const { voice, part } = next.dataset;
    this.look(Number(part)).then(() => {
      if (this.rails.voices().includes(voice)) this.rails.keys.reach(voice, this.rails.cursor.tick);
    });
    return true;
  }

  /** @param {number} part */
  fold(part) {
    if (!this.folded.delete(part)) this.folded.add(part);
    sessionStorage.setItem(FOLDED, JSON.stringify([...this.folded]));
    this.rails.later();
  }

  // What the pointer does there -----------------------------------------------------------------------------------------
  /**
   * What the hand does from here on is done on the same rail once its part is the one that is written.
   * @param {PageEvent} event
   * @param {Piece} canvas
   */
  async enter(event, canvas) {
    event.preventDefault();
    if (this.hand) return; // the second press of a double click
    const { rails } = this;
    const { voice, part } = canvas.parentElement.dataset;
    const box = canvas.getBoundingClientRect();
    const was = { ...rails.look, from: rails.facts.start, tick: Math.max(rails.look.start, tickOf(event.clientX - box.left, rails.look, box.width)) };
    const told = rails.facts.others.find((one) => one.part === Number(part));
    const hand = new Hand(event);
    this.hand = hand;
    await this.look(Number(part));
    const rail = rails.canvasOf(voice);
    if (!rail || !told) {
      this.release(hand);
      showNote("That part is not shown yet, so nothing was written: press once more in a moment.", { near: rails.box });
      return;
    }
    rails.box.focus({ preventScroll: true });
    if (!told.cycle) {
      this.release(hand);
      showNote(`${told.why}, so nothing was written yet: its own pattern is shown now, press where you want the hit.`, { near: rail });
      return;
    }
    const { facts, look } = rails;
    const tick = (((was.tick - was.from + facts.start) % told.cycle) + told.cycle) % told.cycle;
    const there = xOf(tick, look, rail.clientWidth) + rail.getBoundingClientRect().left;
    const same = Math.abs(there - event.clientX) < 1 && look.end - look.start === was.end - was.start;
    if (!same) {
      await hand.up;
      if (tick < look.start || tick >= look.end) rails.show(Math.floor(tick / facts.bar) * facts.bar, look.end - look.start);
    }
    const by = same ? 0 : xOf(tick, rails.look, rail.clientWidth) + rail.getBoundingClientRect().left - event.clientX;
    this.release(hand);
    for (const [name, one] of hand.done) {
      const again = { ...one, target: rail, clientX: one.clientX + by, preventDefault() {} };
      if (name === "pointerdown") rails.down(/** @type {any} */ (again));
      else if (name === "pointermove") rails.move(/** @type {any} */ (again));
      else rails.up(/** @type {any} */ (again));
    }
  }

  /** @param {Hand} hand */
  release(hand) {
    hand.release();
    this.hand = null;
  }

  // Escape: nothing comes of what the hand was doing.
  letGo() {
    if (!this.hand) return false;
    this.hand.cancel();
    return true;
  }

  // Drawing -----------------------------------------------------------------------------------------------------------
  /**
   * @param {any} look
   * @param {import("../../shared/shapes").WholeRailFacts} facts
   */
  draw(look, facts) {
    for (const head of document.querySelectorAll(".part-head:not(.own)")) {
      const folded = this.folded.has(Number(head.dataset.part));
      const fold = head.querySelector("[data-fold]");
      if (fold.getAttribute("aria-expanded") === String(!folded)) continue;
      fold.textContent = folded ? "▸" : "▾";
      fold.setAttribute("aria-expanded", !folded);
    }
    const { box } = this.rails;
    const [top, bottom] = [box.scrollTop, box.scrollTop + box.clientHeight];
    for (const row of document.querySelectorAll(".other-row")) {
      const part = Number(row.dataset.part);
      if (!row.dataset.folds) row.hidden = this.folded.has(part); // those that fold by themselves: more_rails.js
      if (row.hidden || row.offsetTop + row.offsetHeight < top || row.offsetTop > bottom) continue;
      const told = facts.others?.find((one) => one.part === part);
      if (told) this.drawRow(row, told, look, facts);
    }
  }

  /**
   * @param {Piece} row
   * @param {import("../../shared/shapes").OtherPart} told
   * @param {any} look
   * @param {import("../../shared/shapes").WholeRailFacts} facts
   */
  drawRow(row, told, look, facts) {
    const { voice, sounding } = row.dataset;
    const canvas = row.querySelector("canvas");
    const sized = fitted(canvas);
    if (!sized.width) return;
    const hits = this.hitsOf(told).get(voice ?? "") ?? [];
    paintRail(sized, hits, look, { ...facts, lockedPlaces: [] }, told.step, NOTHING_MARKED, { voice, muted: sounding !== "true" });
    drawSeams(sized, told.seams, look, facts);
  }

  /** @param {import("../../shared/shapes").OtherPart} told */
  hitsOf(told) {
    let known = this.hits.get(told);
    if (known) return known;
    known = new Map();
    for (const [voice, ticks, velocities, offsets] of told.voices) {
      known.set(
        voice,
        ticks.map((tick, at) => ({ voice, tick, velocity: velocities[at], played: velocities[at], offset: offsets[at], own: 0, asked: 0, articulation: null, amounts: {}, accents: {}, index: at, waiting: false })),
      );
    }
    this.hits.set(told, known);
    return known;
  }
}

/**
 * Where turns of a part begin inside a bar of the ruler.
 * @param {{ pen: CanvasRenderingContext2D, width: number, height: number }} sized
 * @param {ArrayLike<number>} seams
 * @param {any} look
 * @param {import("../../shared/shapes").RailFacts} facts
 */
function drawSeams({ pen, width, height }, seams, look, facts) {
  pen.strokeStyle = pen.fillStyle = colours().thread;
  pen.setLineDash([2, 3]);
  for (const seam of Array.from(seams)) {
    if (seam < look.start || seam > look.end || seam % facts.bar === 0) continue;
    const x = Math.round(xOf(seam, look, width)) + 0.5;
    pen.beginPath();
    pen.moveTo(x, 0);
    pen.lineTo(x, height);
    pen.stroke();
    pen.beginPath();
    pen.moveTo(x - 4, 0);
    pen.lineTo(x + 4, 0);
    pen.lineTo(x, 5);
    pen.fill();
  }
  pen.setLineDash([]);
}

// What one pointer does until it is wanted: as plain values, since events do not outlast their turn.
class Hand {
  /** @param {PageEvent} event */
  constructor(event) {
    this.id = event.pointerId;
    /** @type {[string, any][]} */
    this.done = [];
    /** @type {Promise<void>} */
    this.up = new Promise((done) => (this.ended = done));
    this.take = (/** @type {any} */ one) => this.note(one);
    this.note(event);
    for (const name of ["pointermove", "pointerup", "pointercancel"]) document.addEventListener(name, this.take, { capture: true });
  }

  /** @param {any} event */
  note(event) {
    if (event.pointerId !== this.id) return;
    if (event.type === "pointercancel") this.done = [];
    else this.done.push([event.type, Object.fromEntries(POINTER.map((name) => [name, event[name]]))]);
    if (event.type !== "pointerdown" && event.type !== "pointermove") this.ended?.();
  }

  cancel() {
    this.done = [];
    this.release();
    this.ended?.();
  }

  release() {
    for (const name of ["pointermove", "pointerup", "pointercancel"]) document.removeEventListener(name, this.take, { capture: true });
  }
}
