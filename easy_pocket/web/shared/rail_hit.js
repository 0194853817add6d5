// Drawing one hit: a stem with a head, its written slot a foot, the thread between them the offset.

import { circle, colours } from "./canvas.js";
import { EDGE, FEET_FROM, FOOT_RADIUS, headRadius, lean, placed, stemWidth, threadWidth } from "./rail_geometry.js";

const SILENT_ALPHA = 0.25; // hits the density leaves out

/**
 * One hit: its stem at where it is played, its foot at where it is written, and what sets it apart.
 * @param {CanvasRenderingContext2D} pen
 * @param {import("./rail_data.js").Hit} hit
 * @param {any} at
 * @param {any} look
 * @param {import("./shapes").RailFacts} facts
 * @param {number} width
 * @param {number} height
 * @param {any} marks
 */
export function drawHit(pen, hit, at, look, facts, width, height, marks) {
  const c = colours();
  const side = lean(hit.offset);
  const colour = side === "even" ? c.ink : c[side];
  const key = `${hit.voice} ${hit.tick}`;
  const alpha = hit.silent ? SILENT_ALPHA : hit.waiting ? 0.55 : 1;
  pen.globalAlpha = alpha;
  pen.strokeStyle = colour;
  pen.fillStyle = colour;
  drawStrokes(pen, hit, at, look, facts, width, height, alpha);
  if (Math.abs(at.x - at.foot) > 0.5) {
    pen.lineWidth = threadWidth(at.thin);
    pen.beginPath();
    pen.moveTo(at.foot, at.base);
    pen.lineTo(at.x, at.base);
    pen.stroke();
  }
  pen.lineCap = "round";
  stem(pen, at, at.x, at.head, stemWidth(at.loud, at.thin));
  pen.lineCap = "butt";
  const radius = headRadius(at.loud, at.thin);
  drawHead(pen, hit.articulation, at, radius, colour);
  if (hit.articulation) drawApart(pen, hit.articulation, at, radius, ((100 - 2 * EDGE) * width) / 100 / (look.end - look.start));
  if (hit.asked) ring(pen, at, radius + 3, [2, 1.6], colour);
  if (at.thin > FEET_FROM) {
    circle(pen, at.foot, at.base, FOOT_RADIUS);
    pen.fillStyle = c.foot;
    pen.fill();
    pen.strokeStyle = c.footLine;
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
 * @param {number} x
 * @param {number} top
 * @param {number} weight
 */
function stem(pen, at, x, top, weight) {
  pen.lineWidth = weight;
  pen.beginPath();
  pen.moveTo(x, at.base);
  pen.lineTo(x, top);
  pen.stroke();
}

/**
 * The strokes of an ornament.
 * @param {CanvasRenderingContext2D} pen
 * @param {any} hit
 * @param {any} at
 * @param {any} look
 * @param {import("./shapes").RailFacts} facts
 * @param {number} width
 * @param {number} height
 * @param {number} alpha
 */
function drawStrokes(pen, hit, at, look, facts, width, height, alpha) {
  for (const [ms, velocity] of hit.articulation?.drawn ?? []) {
    const more = placed({ tick: hit.tick, offset: hit.offset, played: velocity }, look, facts, width, height);
    const x = at.x + ((ms / facts.msPerTick) * (100 - 2 * EDGE) * width) / 100 / (look.end - look.start);
    pen.lineCap = "round";
    pen.globalAlpha = 0.7;
    stem(pen, at, x, more.head, 1.6);
    circle(pen, x, more.head, 1.8);
    pen.fill();
    pen.globalAlpha = alpha;
  }
}

/**
 * Full for a hit that always sounds; else a share of a circle, as often as it does.
 * @param {CanvasRenderingContext2D} pen
 * @param {any} articulation
 * @param {any} at
 * @param {number} radius
 * @param {string} colour
 */
function drawHead(pen, articulation, at, radius, colour) {
  const odds = articulation?.odds_percent ?? 100;
  circle(pen, at.x, at.head, radius);
  if (odds < 100 || articulation?.passes) {
    pen.fillStyle = colours().paper;
    pen.fill();
    pen.lineWidth = 1.6;
    pen.stroke();
    pen.fillStyle = colour;
    pen.beginPath();
    pen.moveTo(at.x, at.head);
    pen.arc(at.x, at.head, radius - 0.5, -Math.PI / 2, -Math.PI / 2 + 2 * Math.PI * (articulation.passes ? 1 / Math.max(articulation.passes, 4) : odds / 100));
    pen.fill();
  } else {
    pen.fill();
  }
}

/**
 * Length, tune and pan.
 * @param {CanvasRenderingContext2D} pen
 * @param {any} articulation
 * @param {any} at
 * @param {number} radius
 * @param {number} perTick pixels
 */
function drawApart(pen, articulation, at, radius, perTick) {
  if (articulation.length_ticks) {
    pen.lineWidth = 1.6;
    const end = at.x + articulation.length_ticks * perTick;
    pen.beginPath();
    pen.moveTo(at.x, at.head);
    pen.lineTo(end, at.head);
    pen.moveTo(end, at.head - 3);
    pen.lineTo(end, at.head + 3);
    pen.stroke();
  }
  if (articulation.tune_cents) chevron(pen, at.x, at.head - radius - 4, 0, -Math.sign(articulation.tune_cents));
  if (articulation.pan) chevron(pen, at.x + Math.sign(articulation.pan) * (radius + 4), at.head, Math.sign(articulation.pan), 0);
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
