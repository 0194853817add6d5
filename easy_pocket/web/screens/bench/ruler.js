// The ruler that counts, the bars chosen on it, and the overview that scrolls and zooms.

import { colours, fitted, textFont } from "../../shared/canvas.js";
import { tickOf, xOf } from "../../shared/rail_geometry.js";
import { syllable } from "../../shared/rail_words.js";

// Labels closer than this would run into each other; the syllables of triplets and shares of quintuplets are longer.
const SHORT_PX = 18;
const LONG_PX = 34;

/**
 * @param {any} canvas
 * @param {any} look
 * @param {import("../../shared/shapes").RailFacts} facts
 * @param {any} bars
 */
export function drawCounting(canvas, look, facts, bars) {
  const { pen, width, height } = fitted(canvas);
  const c = colours();
  if (bars) {
    const left = xOf((bars.from - 1) * facts.bar, look, width);
    const right = xOf(Math.min((bars.from - 1 + bars.count) * facts.bar, facts.length), look, width);
    pen.fillStyle = c.marked;
    pen.fillRect(left, 0, right - left, height);
    pen.fillStyle = c.thread;
    pen.fillRect(left, height - 3, right - left, 3);
  }
  const apart = (/** @type {any} */ ticks) => xOf(look.start + ticks, look, width) - xOf(look.start, look, width);
  const perBeat = facts.beat / facts.step;
  const short = Number.isInteger(perBeat) && [1, 2, 4].includes(perBeat);
  const slots = apart(facts.step) >= (short ? SHORT_PX : LONG_PX);
  const beats = apart(facts.beat) >= SHORT_PX;
  const every = Math.max(1, Math.ceil(LONG_PX / apart(facts.bar)));
  pen.textAlign = "center";
  pen.textBaseline = "alphabetic";
  const first = Math.floor(look.start / facts.bar) * facts.bar;
  for (let bar = first; bar < look.end; bar += facts.bar) {
    for (let tick = bar; tick < Math.min(bar + facts.bar, look.end); tick += slots ? facts.step : facts.beat) {
      if (tick < look.start) continue;
      const inside = tick - bar;
      const rest = inside % facts.beat;
      let words;
      if (!inside) words = (bar / facts.bar) % every ? "" : `${bar / facts.bar + 1}.1`;
      else if (!rest) words = beats ? String(inside / facts.beat + 1) : "";
      else words = syllable(rest, facts.beat);
      if (!words) continue;
      pen.font = !inside ? textFont(500, 13, "Plex") : textFont(500, 12, "Plex");
      pen.fillStyle = !inside ? c.ink : rest ? c.count : c.quiet;
      pen.fillText(words, xOf(tick, look, width), 15);
    }
  }
}

/**
 * @param {any} canvas
 * @param {any} look
 * @param {any} data
 */
export function drawOverview(canvas, look, data) {
  const { pen, width, height } = fitted(canvas);
  const { facts } = data;
  const c = colours();
  const scale = width / facts.length;
  pen.fillStyle = c.seam;
  pen.fillRect(0, height / 2, width, 1);
  const count = Math.min(Math.ceil(width / 3), 400);
  const cells = new Float32Array(count);
  for (const hit of data.all()) cells[Math.min(count - 1, Math.floor((hit.tick / facts.length) * count))] += hit.velocity;
  const most = cells.reduce((one, other) => Math.max(one, other), 1);
  pen.fillStyle = c.denim;
  cells.forEach((level, cell) => level && pen.fillRect((cell * width) / count, height - 2 - ((height - 4) * level) / most, width / count - 1, ((height - 4) * level) / most));
  pen.fillStyle = c.veil;
  pen.fillRect(0, 0, look.start * scale, height);
  pen.fillRect(look.end * scale, 0, width, height);
  pen.strokeStyle = c.thread;
  pen.lineWidth = 2;
  pen.strokeRect(look.start * scale + 1, 1, Math.max(4, (look.end - look.start) * scale - 2), height - 2);
}

/**
 * Bars under a stretch of the ruler, or none for a press that chose what was chosen already.
 * @param {number} from
 * @param {number} to
 * @param {any} look
 * @param {import("../../shared/shapes").RailFacts} facts
 * @param {number} width
 */
export function barsBetween(from, to, look, facts, width) {
  const at = (/** @type {number} */ x) => Math.max(0, Math.min(facts.length - 1, tickOf(x, look, width)));
  const [one, other] = [at(from), at(to)].map((tick) => Math.floor(tick / facts.bar) + 1).sort((a, b) => a - b);
  return { from: one, count: other - one + 1 };
}
