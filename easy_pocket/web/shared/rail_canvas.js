// Drawing the rails: every hit a stem with a head, its written slot a foot, the thread between them the offset.

export const EDGE = 1.7; // percent left and right, room for hits before the first line and after the last slot
const ON_GRID_MS = 0.75;
const BASE = 0.84;
const TOP = 0.14;
const MOST_SLOT_LINES = 220;
const FEET_FROM = 0.6; // thinner hits have no foot drawn
const SILENT_ALPHA = 0.25; // hits the density leaves out
const FOOT_RADIUS = 2.4;
const FOOT_FILL = "#fff";
const FOOT_LINE = "#8f836b";

/** @type {any} */
let known = null;
export function colours() {
  if (!known) {
    const style = getComputedStyle(document.documentElement);
    const of = (/** @type {string} */ name) => style.getPropertyValue(name).trim();
    known = { ink: of("--ink"), early: of("--early"), late: of("--late"), thread: of("--thread"), quiet: of("--quiet"), seam: of("--seam"), deep: of("--seam-deep"), paper: of("--paper"), denim: of("--denim-light") };
  }
  return known;
}

/**
 * A canvas fitted to its box, ready to draw on in CSS pixels.
 * @param {any} canvas
 */
export function fitted(canvas) {
  const { clientWidth: width, clientHeight: height } = canvas;
  const scale = window.devicePixelRatio || 1;
  if (canvas.width !== Math.round(width * scale) || canvas.height !== Math.round(height * scale)) {
    canvas.width = Math.round(width * scale);
    canvas.height = Math.round(height * scale);
  }
  const pen = canvas.getContext("2d");
  pen.setTransform(scale, 0, 0, scale, 0, 0);
  pen.clearRect(0, 0, width, height);
  return { pen, width, height };
}

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
  const key = [look.start, look.end, facts.bar, facts.beat, facts.length, facts.lockedPlaces, step, width, height, scale].join(" ");
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
  const lines = { "#e5dccc": new Path2D(), "#cfc3ae": new Path2D(), "#8f99b5": new Path2D() };
  const rule = (/** @type {number} */ tick, /** @type {string} */ colour) => {
    const x = Math.round(xOf(tick, look, width)) + 0.5;
    lines[colour].moveTo(x, 0);
    lines[colour].lineTo(x, height);
  };
  const from = Math.floor(look.start / facts.bar) * facts.bar;
  for (let bar = from; bar <= look.end; bar += facts.bar) {
    const end = Math.min(bar + facts.bar, look.end);
    if (step >= 30 && (look.end - look.start) / step <= MOST_SLOT_LINES) for (let tick = bar; tick < end; tick += step) if (tick >= look.start && (tick - bar) % facts.beat) rule(tick, "#e5dccc");
    for (let tick = bar + facts.beat; tick < end; tick += facts.beat) if (tick >= look.start) rule(tick, "#cfc3ae");
    if (bar >= look.start) rule(bar, "#8f99b5");
  }
  if (look.end === facts.length) rule(look.end, "#8f99b5");
  for (const [colour, path] of Object.entries(lines)) {
    pen.strokeStyle = colour;
    pen.lineWidth = colour === "#8f99b5" ? 1.5 : 1;
    pen.stroke(path);
  }
  pen.strokeStyle = "#b8ab93";
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
 */
export function drawRail(canvas, voice, hits, look, facts, step, marks) {
  const { pen, width, height } = fitted(canvas);
  if (!width || !height) return;
  drawGrid(pen, look, facts, step, width, height);
  const reach = ((look.end - look.start) / width) * 40;
  for (const gone of marks.missing?.get(voice) ?? []) drawMissing(pen, gone, look, facts, width, height);
  const plain = { ink: new Batch(), early: new Batch(), late: new Batch() };
  const rest = [];
  for (const hit of hits) {
    if (hit.tick < look.start - reach || hit.tick > look.end + reach) continue;
    const at = placed(hit, look, facts, width, height);
    const side = lean(hit.offset);
    if (isPlain(hit, marks)) plain[side === "even" ? "ink" : side].add(at);
    else rest.push([hit, at]);
  }
  for (const [colour, batch] of Object.entries(plain)) batch.draw(pen, colours()[colour]);
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
   */
  draw(pen, colour) {
    pen.strokeStyle = pen.fillStyle = colour;
    for (const { x, foot, base, head, thin, loud } of this.hits) {
      const thread = threadWidth(thin);
      const stem = stemWidth(loud, thin);
      if (Math.abs(x - foot) > 0.5) pen.fillRect(Math.min(x, foot), base - thread / 2, Math.abs(x - foot), thread);
      pen.fillRect(x - stem / 2, head, stem, base - head + stem / 4);
    }
    pen.fill(this.heads);
    pen.fillStyle = FOOT_FILL;
    pen.strokeStyle = FOOT_LINE;
    pen.lineWidth = 1.2;
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

const stemWidth = (/** @type {number} */ loud, /** @type {number} */ thin) => (2 + 4.2 * loud) * thin;
const headRadius = (/** @type {number} */ loud, /** @type {number} */ thin) => (2.6 + 2.6 * loud) * Math.max(thin, 0.35);
const threadWidth = (/** @type {number} */ thin) => Math.max(1, 2.2 * thin);

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

/**
 * @param {CanvasRenderingContext2D} pen
 * @param {number} x
 * @param {number} y
 * @param {number} radius
 */
function circle(pen, x, y, radius) {
  pen.beginPath();
  pen.arc(x, y, radius, 0, 2 * Math.PI);
}

/**
 * @param {any} pen
 * @param {any} hit
 * @param {any} at
 * @param {any} look
 * @param {import("./shapes").RailFacts} facts
 * @param {number} width
 * @param {number} height
 * @param {any} marks
 */
function drawHit(pen, hit, at, look, facts, width, height, marks) {
  const c = colours();
  const side = lean(hit.offset);
  const colour = side === "even" ? c.ink : c[side];
  const key = `${hit.voice} ${hit.tick}`;
  const alpha = hit.silent ? SILENT_ALPHA : hit.waiting ? 0.55 : 1;
  pen.globalAlpha = alpha;
  pen.strokeStyle = colour;
  pen.fillStyle = colour;
  const stem = (/** @type {number} */ x, /** @type {any} */ top, /** @type {number} */ weight) => {
    pen.lineWidth = weight;
    pen.beginPath();
    pen.moveTo(x, at.base);
    pen.lineTo(x, top);
    pen.stroke();
  };
  for (const [ms, velocity] of hit.articulation?.drawn ?? []) {
    const more = placed({ tick: hit.tick, offset: hit.offset, played: velocity }, look, facts, width, height);
    const x = at.x + ((ms / facts.msPerTick) * (100 - 2 * EDGE) * width) / 100 / (look.end - look.start);
    pen.lineCap = "round";
    pen.globalAlpha = 0.7;
    stem(x, more.head, 1.6);
    circle(pen, x, more.head, 1.8);
    pen.fill();
    pen.globalAlpha = alpha;
  }
  if (Math.abs(at.x - at.foot) > 0.5) {
    pen.lineWidth = threadWidth(at.thin);
    pen.beginPath();
    pen.moveTo(at.foot, at.base);
    pen.lineTo(at.x, at.base);
    pen.stroke();
  }
  pen.lineCap = "round";
  stem(at.x, at.head, stemWidth(at.loud, at.thin));
  pen.lineCap = "butt";
  const radius = headRadius(at.loud, at.thin);
  const odds = hit.articulation?.odds_percent ?? 100;
  circle(pen, at.x, at.head, radius);
  if (odds < 100 || hit.articulation?.passes) {
    pen.fillStyle = c.paper;
    pen.fill();
    pen.lineWidth = 1.6;
    pen.stroke();
    pen.fillStyle = colour;
    pen.beginPath();
    pen.moveTo(at.x, at.head);
    pen.arc(at.x, at.head, radius - 0.5, -Math.PI / 2, -Math.PI / 2 + 2 * Math.PI * (hit.articulation.passes ? 1 / Math.max(hit.articulation.passes, 4) : odds / 100));
    pen.fill();
  } else {
    pen.fill();
  }
  if (hit.articulation?.length_ticks) {
    pen.lineWidth = 1.6;
    const end = at.x + ((hit.articulation.length_ticks * (100 - 2 * EDGE) * width) / 100) / (look.end - look.start);
    pen.beginPath();
    pen.moveTo(at.x, at.head);
    pen.lineTo(end, at.head);
    pen.moveTo(end, at.head - 3);
    pen.lineTo(end, at.head + 3);
    pen.stroke();
  }
  if (hit.articulation?.tune_cents) chevron(pen, at.x, at.head - radius - 4, 0, -Math.sign(hit.articulation.tune_cents));
  if (hit.articulation?.pan) chevron(pen, at.x + Math.sign(hit.articulation.pan) * (radius + 4), at.head, Math.sign(hit.articulation.pan), 0);
  if (hit.asked) ring(pen, at, radius + 3, [2, 1.6], colour);
  if (at.thin > FEET_FROM) {
    circle(pen, at.foot, at.base, FOOT_RADIUS);
    pen.fillStyle = FOOT_FILL;
    pen.fill();
    pen.strokeStyle = FOOT_LINE;
    pen.lineWidth = 1.2;
    pen.stroke();
  }
  if (hit.articulation?.locked) {
    pen.fillStyle = c.ink;
    pen.fillRect(at.foot - 3.5, at.base + 4, 7, 3);
  }
  pen.globalAlpha = 1;
  if (marks.chosen.has(key)) ring(pen, at, radius + 2.5, [], c.thread, 2);
  else if (marks.hot === key) ring(pen, at, radius + 1, [], c.thread, 2);
  if (marks.differs?.has(key)) ring(pen, at, radius + 5, [2, 2], c.thread, 1.5);
}

/**
 * @param {CanvasRenderingContext2D} pen
 * @param {any} at
 * @param {number} radius
 * @param {any} dash
 * @param {string} colour
 * @param {number} [weight]
 */
function ring(pen, at, radius, dash, colour, weight = 1.2) {
  pen.strokeStyle = colour;
  pen.lineWidth = weight;
  pen.setLineDash(dash);
  circle(pen, at.x, at.head, radius);
  pen.stroke();
  pen.setLineDash([]);
}

/**
 * @param {CanvasRenderingContext2D} pen
 * @param {number} x
 * @param {number} y
 * @param {any} dx
 * @param {any} dy
 */
function chevron(pen, x, y, dx, dy) {
  pen.lineWidth = 1.4;
  pen.beginPath();
  pen.moveTo(x - 2.5 * dy - 2 * dx, y - 2.5 * dx - 2 * dy);
  pen.lineTo(x, y);
  pen.lineTo(x + 2.5 * dy - 2 * dx, y + 2.5 * dx - 2 * dy);
  pen.stroke();
}
