// The lines of beats and bars over the waveform, and what of them a span covers that is drawn.

import { byId } from "../../shared/dom.js";

/** @typedef {{ at: number, beat: number }} Line seconds in the file, and which beat begins there, from 0 at bar one */

/**
 * @param {number} [every] 1: of beats; as many as a bar has: of bars
 * @returns {Line[]} in order of time
 */
export function beatLines(every = 1) {
  const lines = [...document.querySelectorAll("#wave-over [data-beat]")].map((/** @type {any} */ line) => ({ at: Number(line.dataset.at), beat: Number(line.dataset.beat) }));
  return lines.filter(({ beat }) => beat % every === 0).sort((one, other) => one.at - other.at);
}

/**
 * Mark so many lines from one on, on the waveform: its begin and end in seconds.
 * @param {Line[]} lines
 * @param {number} beat the one it begins on
 * @param {number} count
 * @param {import("./wave.js").Wave} wave
 * @returns {[number, number]}
 */
export function markSpan(lines, beat, count, wave) {
  const begin = lines.find((line) => line.beat === beat)?.at ?? 0;
  const end = lines.filter(({ at }) => at > begin)[count - 1]?.at ?? wave.duration; // the last one may end with the file
  const drawn = byId("span-drawn");
  Object.assign(drawn.dataset, { from: begin, until: end });
  drawn.classList.add("kept");
  wave.later();
  return [begin, end];
}

/**
 * From which line to which one a span reaches, wholly or mostly; a click covers the piece it is in.
 * @param {Line[]} lines
 * @param {number} one
 * @param {number} other
 * @returns {[number, number]} their numbers, the second the greater
 */
export function coveredLines(lines, one, other) {
  const [from, to] = [Math.min(one, other), Math.max(one, other)];
  const last = lines.length - 1;
  const length = last ? lines[1].at - lines[0].at : 1;
  if (to - from < length / 2) {
    const inside = Math.max(0, Math.min(lines.filter(({ at }) => at <= (from + to) / 2).length - 1, last));
    return [inside, inside + 1];
  }
  const nearest = (/** @type {number} */ time) => lines.reduce((best, { at }, number) => (Math.abs(at - time) < Math.abs(lines[best].at - time) ? number : best), 0);
  const first = nearest(from);
  const past = last >= 0 && to - lines[last].at > length / 2 ? last + 1 : nearest(to); // up to the end of a loop that goes round
  return [first, Math.max(first + 1, past)];
}
