// The ruler over the rails: bars chosen by a drag; zoom and scroll by wheel or two fingers.

import { byId } from "../../shared/dom.js";
import { tickOf } from "../../shared/rail_geometry.js";
import { barsBetween } from "./ruler.js";

export const DRAG_PX = 4; // a press that moves less is none of a drag

/**
 * @param {import("./rails.js").Rails} rails
 * @param {PageEvent} event
 */
export function downOnRuler(rails, event) {
  event.preventDefault();
  event.target.setPointerCapture(event.pointerId);
  rails.drag = { ruler: event.target.id, x: event.offsetX, y: event.clientY, look: rails.look, width: event.target.clientWidth };
  if (event.target.id === "overview") {
    const tick = (event.offsetX / rails.drag.width) * rails.facts.length;
    const span = rails.look.end - rails.look.start;
    if (tick < rails.look.start || tick > rails.look.end) rails.show(tick - span / 2, span);
    rails.drag.look = rails.look;
  } else {
    rails.drag.had = rails.bars;
    rails.chooseBars(barsBetween(event.offsetX, event.offsetX, rails.look, rails.facts, rails.drag.width));
  }
}

/**
 * @param {import("./rails.js").Rails} rails
 * @param {PageEvent} event
 */
export function moveOnRuler(rails, event) {
  const { drag } = rails;
  const x = event.clientX - byId(drag.ruler).getBoundingClientRect().left;
  if (drag.ruler === "counting") {
    rails.chooseBars(barsBetween(drag.x, x, rails.look, rails.facts, drag.width));
    drag.moved ||= Math.abs(x - drag.x) > DRAG_PX;
    return;
  }
  const span = (drag.look.end - drag.look.start) * 2 ** ((event.clientY - drag.y) / 60);
  const middle = (drag.look.start + drag.look.end) / 2 + ((x - drag.x) / drag.width) * rails.facts.length;
  rails.show(middle - span / 2, span);
}

/**
 * @param {import("./rails.js").Rails} rails
 * @param {PageEvent} event
 * @param {any} drag
 */
export function upOnRuler(rails, event, drag) {
  const { had } = drag;
  if (drag.ruler === "counting" && !drag.moved && had && had.from === rails.bars?.from && had.count === rails.bars.count) rails.chooseBars(null);
}

/**
 * @param {import("./rails.js").Rails} rails
 * @param {PageEvent} event
 */
export function wheel(rails, event) {
  const rows = event.target.closest?.("#rail-rows, #counting, #overview, #detail");
  if (!rows || !rails.facts) return;
  const box = (document.querySelector("canvas.rail") ?? rows).getBoundingClientRect();
  if (event.ctrlKey || event.metaKey) {
    event.preventDefault();
    rails.zoom(2 ** (event.deltaY / 240), tickOf(event.clientX - box.left, rails.look, box.width));
    return;
  }
  const scrolls = rows.id === "rail-rows" && rows.scrollHeight > rows.clientHeight + 1;
  const sideways = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX || (scrolls ? 0 : event.deltaY);
  if (!sideways) return;
  event.preventDefault();
  rails.scroll((sideways / box.width) * (rails.look.end - rails.look.start));
}

/**
 * @param {import("./rails.js").Rails} rails
 */
export function pinch(rails) {
  const [one, other] = [...rails.touches.values()];
  if (other === undefined) return;
  const { apart, look } = rails.drag;
  const box = document.querySelector("canvas.rail").getBoundingClientRect();
  const span = (look.end - look.start) * (apart / Math.max(20, Math.abs(one - other)));
  const at = tickOf((one + other) / 2 - box.left, look, box.width);
  rails.show(at - ((at - look.start) / (look.end - look.start)) * span, span);
}

/**
 * A press on a hit takes it away, but the second one of a double click leaves what the first one wrote.
 * @param {import("./rails.js").Rails} rails
 * @param {PageEvent} event
 */
export function clickOnHit(rails, event) {
  const hit = rails.pressed;
  rails.pressed = null;
  if (hit && !(event.detail > 1 && rails.wrote === `${hit.voice} ${hit.tick}`)) rails.remove(hit.voice, hit.tick);
}

/**
 * All moves of a pointer that is down go to the canvas. One that is up already, replayed, has nothing to capture.
 * @param {Piece} canvas
 * @param {number} pointer
 */
export function capture(canvas, pointer) {
  try {
    canvas.setPointerCapture(pointer);
  } catch {
    // it was let go meanwhile
  }
}
