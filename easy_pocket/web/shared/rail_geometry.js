// Where hits are drawn on a rail, and how large. Nothing here draws.

export const EDGE = 1.7; // percent left and right, room for hits before the first line and after the last slot
const ON_GRID_MS = 0.75;
export const BASE = 0.84; // share of the height where feet stand
const TOP = 0.14; // and where the loudest head is

/**
 * @param {number} tick
 * @param {any} look
 * @param {number} width
 */
export function xOf(tick, look, width) {
  return (width * (EDGE + ((100 - 2 * EDGE) * (tick - look.start)) / (look.end - look.start))) / 100;
}

/**
 * @param {number} x
 * @param {any} look
 * @param {number} width
 */
export function tickOf(x, look, width) {
  return look.start + (((x / width) * 100 - EDGE) / (100 - 2 * EDGE)) * (look.end - look.start);
}

/** @param {number} offset */
export function lean(offset) {
  if (Math.abs(offset) < ON_GRID_MS) return "even";
  return offset > 0 ? "late" : "early";
}

/**
 * Where a hit is drawn on a rail of this size.
 * @param {any} hit
 * @param {any} look
 * @param {import("./shapes").RailFacts} facts
 * @param {number} width
 * @param {number} height
 * @param {number} [step]
 */
export function placed(hit, look, facts, width, height, step = facts.step) {
  const foot = xOf(hit.tick, look, width);
  const x = xOf(hit.tick + (hit.offset / facts.msPerTick) * look.magnify, look, width);
  const loud = hit.played / 127;
  // Where slots lie close together stems are thin, so that one still sees each of them.
  const slot_px = xOf(look.start + step, look, width) - xOf(look.start, look, width);
  const thin = Math.min(1, slot_px / 9);
  return { foot, x, thin, head: height * (BASE - (BASE - TOP) * (0.14 + 0.86 * loud)), base: height * BASE, loud };
}

export const stemWidth = (/** @type {number} */ loud, /** @type {number} */ thin) => (2 + 4.2 * loud) * thin;
export const headRadius = (/** @type {number} */ loud, /** @type {number} */ thin) => (2.6 + 2.6 * loud) * Math.max(thin, 0.35);
export const threadWidth = (/** @type {number} */ thin) => Math.max(1, 2.2 * thin);
export const FEET_FROM = 0.6; // thinner hits have no foot drawn
export const FOOT_RADIUS = 2.4;
