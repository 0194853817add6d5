// Drawing the rails: their grid, and the hits of a voice on it.

import { circle, colours, fitted } from "./canvas.js";
import { BASE, FEET_FROM, FOOT_RADIUS, headRadius, lean, placed, stemWidth, threadWidth, xOf } from "./rail_geometry.js";
import { drawHit } from "./rail_hit.js";

const MOST_SLOT_LINES = 220;

const MOST_GRIDS = 12;
const grids = new Map();

/**
 * The lines of a rail: the same for every rail of its grid and size, so they are drawn once and laid under each.
 * @param {any} pen
 * @param {any} look
 * @param {import("./shapes").RailFacts} facts
 * @param {number} step
 * @param {number} width
 * @param {number} height
 */
export function drawGrid(pen, look, facts, step, width, height) {
  const scale = window.devicePixelRatio || 1;
  const key = [look.start, look.end, facts.bar, facts.beat, facts.length, facts.lockedPlaces, step, width, height, scale, colours().slot].join(" ");
  let grid = grids.get(key);
  if (!grid) {
    grid = document.createElement("canvas");
    grid.width = Math.round(width * scale);
    grid.height = Math.round(height * scale);
    const own = grid.getContext("2d");
    own.scale(scale, scale);
    drawLines(own, look, facts, step, width, height);
    grids.set(key, grid);
    if (grids.size > MOST_GRIDS) grids.delete(grids.keys().next().value);
  }
  pen.drawImage(grid, 0, 0, width, height);
}

/**
 * @param {CanvasRenderingContext2D} pen
 * @param {any} look
 * @param {import("./shapes").RailFacts} facts
 * @param {number} step
 * @param {number} width
 * @param {number} height
 */
function drawLines(pen, look, facts, step, width, height) {
  const c = colours();
  /** @type {Record<string, any>} */
  const lines = { slot: new Path2D(), beat: new Path2D(), bar: new Path2D() };
  const rule = (/** @type {number} */ tick, /** @type {string} */ colour) => {
    const x = Math.round(xOf(tick, look, width)) + 0.5;
    lines[colour].moveTo(x, 0);
    lines[colour].lineTo(x, height);
  };
  const from = Math.floor(look.start / facts.bar) * facts.bar;
  for (let bar = from; bar <= look.end; bar += facts.bar) {
    const end = Math.min(bar + facts.bar, look.end);
    if (step >= 30 && (look.end - look.start) / step <= MOST_SLOT_LINES) for (let tick = bar; tick < end; tick += step) if (tick >= look.start && (tick - bar) % facts.beat) rule(tick, "slot");
    for (let tick = bar + facts.beat; tick < end; tick += facts.beat) if (tick >= look.start) rule(tick, "beat");
    if (bar >= look.start) rule(bar, "bar");
  }
  if (look.end === facts.length) rule(look.end, "bar");
  for (const [colour, path] of Object.entries(lines)) {
    pen.strokeStyle = c[colour];
    pen.lineWidth = colour === "bar" ? 1.5 : 1;
    pen.stroke(path);
  }
  pen.strokeStyle = c.base;
  pen.lineWidth = 1.2;
  pen.setLineDash([3, 3]);
  pen.beginPath();
  pen.moveTo(0, height * BASE);
  pen.lineTo(width, height * BASE);
  pen.stroke();
  pen.setLineDash([]);
  for (const place of facts.lockedPlaces) {
    for (let tick = from + place; tick < look.end; tick += facts.bar) {
      if (tick < look.start) continue;
      const x = xOf(tick, look, width);
      pen.fillStyle = c.deep;
      pen.globalAlpha = 0.35;
      pen.fillRect(x - 5, 0, 10, height);
      pen.globalAlpha = 1;
    }
  }
}

/**
 * One rail. `marks` has the chosen keys, the hit under the pointer, and what differs from a snapshot.
 * @param {any} canvas
 * @param {string} voice
 * @param {import("./rail_data.js").Hit[]} hits
 * @param {any} look
 * @param {import("./shapes").RailFacts} facts
 * @param {number} step
 * @param {any} marks
 * @param {boolean} [muted]
 */
export function drawRail(canvas, voice, hits, look, facts, step, marks, muted = false) {
  const sized = fitted(canvas);
  if (sized.width && sized.height) paintRail(sized, hits, look, facts, step, marks, { voice, muted });
}

/**
 * @param {{ pen: CanvasRenderingContext2D, width: number, height: number }} sized
 * @param {import("./rail_data.js").Hit[]} hits
 * @param {any} look
 * @param {import("./shapes").RailFacts} facts
 * @param {number} step
 * @param {any} marks
 * @param {{ voice?: string, muted: boolean }} row hits of a muted one are drawn open
 */
export function paintRail({ pen, width, height }, hits, look, facts, step, marks, { voice, muted }) {
  drawGrid(pen, look, facts, step, width, height);
  const reach = ((look.end - look.start) / width) * 40;
  for (const gone of marks.missing?.get(voice) ?? []) drawMissing(pen, gone, look, facts, width, height);
  const plain = { ink: new Batch(), early: new Batch(), late: new Batch() };
  /** @type {[import("./rail_data.js").Hit, any][]} */
  const rest = [];
  for (const hit of hits) {
    if (hit.tick < look.start - reach || hit.tick > look.end + reach) continue;
    const at = placed(hit, look, facts, width, height);
    const side = lean(hit.offset);
    if (isPlain(hit, marks)) plain[side === "even" ? "ink" : side].add(at);
    else rest.push([hit, at]);
  }
  for (const [colour, batch] of Object.entries(plain)) batch.draw(pen, colours()[muted ? "quiet" : colour], muted);
  for (const [hit, at] of rest) drawHit(pen, hit, at, look, facts, width, height, marks);
  const targets = marks.targets?.get(voice);
  if (targets) for (const hit of hits) if (targets.has(hit.tick)) drawTarget(pen, hit, targets.get(hit.tick), look, facts, width, height);
}

/**
 * @param {import("./rail_data.js").Hit} hit
 * @param {any} marks
 */
function isPlain(hit, marks) {
  if (hit.articulation || hit.asked || hit.waiting || hit.silent) return false;
  if (!marks.chosen.size && !marks.hot && !marks.differs?.size) return true;
  const key = `${hit.voice} ${hit.tick}`;
  return !marks.chosen.has(key) && marks.hot !== key && !marks.differs?.has(key);
}

// Plain hits of one colour, drawn together: a few long paths are much faster than many short ones.
class Batch {
  constructor() {
    /** @type {any[]} */
    this.hits = [];
    this.heads = new Path2D();
    this.feet = new Path2D();
  }

  /** @param {any} at */
  add(at) {
    this.hits.push(at);
    dot(this.heads, at.x, at.head, headRadius(at.loud, at.thin));
    if (at.thin > FEET_FROM) dot(this.feet, at.foot, at.base, FOOT_RADIUS);
  }

  /**
   * @param {any} pen
   * @param {string} colour
   * @param {boolean} open as lines round nothing: what is muted
   */
  draw(pen, colour, open = false) {
    pen.strokeStyle = pen.fillStyle = colour;
    for (const { x, foot, base, head, thin, loud } of this.hits) {
      const thread = open ? 1 : threadWidth(thin);
      const stem = open ? 1 : stemWidth(loud, thin);
      if (Math.abs(x - foot) > 0.5) pen.fillRect(Math.min(x, foot), base - thread / 2, Math.abs(x - foot), thread);
      pen.fillRect(x - stem / 2, head, stem, base - head + stem / 4);
    }
    pen.lineWidth = 1.2;
    if (open) pen.fillStyle = colours().paper;
    pen.fill(this.heads);
    if (open) pen.stroke(this.heads);
    pen.fillStyle = colours().foot;
    pen.strokeStyle = colours().footLine;
    pen.fill(this.feet);
    pen.stroke(this.feet);
  }
}

/**
 * @param {any} path
 * @param {number} x
 * @param {number} y
 * @param {number} radius
 */
function dot(path, x, y, radius) {
  path.moveTo(x + radius, y);
  path.arc(x, y, radius, 0, 2 * Math.PI);
}

/**
 * Where a hit would go: an open ring, and the way there.
 * @param {any} pen
 * @param {import("./rail_data.js").Hit} hit
 * @param {number} by
 * @param {any} look
 * @param {import("./shapes").RailFacts} facts
 * @param {number} width
 * @param {number} height
 */
function drawTarget(pen, hit, by, look, facts, width, height) {
  const from = placed(hit, look, facts, width, height);
  const to = placed({ ...hit, offset: hit.offset + by }, look, facts, width, height);
  pen.strokeStyle = colours().thread;
  pen.lineWidth = 1.6;
  pen.beginPath();
  pen.moveTo(from.x, to.head);
  pen.lineTo(to.x, to.head);
  pen.moveTo(to.x, to.base);
  pen.lineTo(to.x, to.head + 4.5);
  pen.stroke();
  circle(pen, to.x, to.head, 4.5);
  pen.fillStyle = colours().paper;
  pen.fill();
  pen.stroke();
}

/**
 * @param {any} pen
 * @param {import("./rail_data.js").Hit} hit
 * @param {any} look
 * @param {import("./shapes").RailFacts} facts
 * @param {number} width
 * @param {number} height
 */
function drawMissing(pen, hit, look, facts, width, height) {
  const at = placed(hit, look, facts, width, height);
  pen.strokeStyle = colours().quiet;
  pen.lineWidth = 1.2;
  pen.setLineDash([2, 2]);
  pen.beginPath();
  pen.moveTo(at.x, at.base);
  pen.lineTo(at.x, at.head);
  pen.stroke();
  circle(pen, at.x, at.head, 3.6);
  pen.stroke();
  pen.setLineDash([]);
}

