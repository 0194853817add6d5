// Drawing one groove: offsets above and below the grid, accents at the foot, the other lanes faintly behind.

import { colours, fitted, textFont } from "../../shared/canvas.js";
import { lean } from "../../shared/rail_geometry.js";

export const LEFT = 58;
export const LABELS = 20;
export const ACCENT_SHARE = 0.27;
const FADED = 0.3;
/** @type {Record<string, any>} */
const LANE_DASH = { all: [], low: [6, 3], mid: [2, 3], high: [] };

/**
 * @param {any} canvas
 * @param {any} shown
 */
export function drawGroove(canvas, shown) {
  const { pen } = fitted(canvas);
  const { data, lane, frame } = shown;
  const values = data.lanes[lane] ?? data.lanes.all;
  drawScale(pen, data, frame);
  const order = ["all", "low", "mid", "high"].filter((name) => data.lanes[name] && name !== lane);
  for (const name of order) drawLine(pen, data, frame, data.lanes[name], name, true);
  drawLane(pen, data, frame, values);
  drawLine(pen, data, frame, values, lane, false);
  drawSlot(pen, frame, shown.slot);
}

/**
 * @param {number} offset
 * @param {any} options
 * @param {any} options
 */
export function yOf(offset, { reach }, { middle, room }) {
  return middle + (Math.max(-reach, Math.min(reach, offset)) / reach) * room;
}

/**
 * @param {number} slot
 * @param {any} options
 */
function xOf(slot, { column }) {
  return LEFT + (slot + 0.5) * column;
}

/**
 * @param {any} pen
 * @param {any} data
 * @param {any} frame
 */
function drawScale(pen, data, frame) {
  const c = colours();
  const { width, split, foot, height, slots, column } = frame;
  pen.font = textFont(500, 12, "Plex");
  pen.textAlign = "right";
  pen.textBaseline = "middle";
  for (const ms of [-data.reach, -data.reach / 2, 0, data.reach / 2, data.reach]) {
    const y = Math.round(yOf(ms, data, frame)) + 0.5;
    pen.strokeStyle = ms ? colours().slot : colours().bar;
    pen.setLineDash(ms ? [] : [4, 3]);
    line(pen, LEFT, y, width, y, 1);
    pen.fillStyle = c.quiet;
    pen.fillText(ms ? `${ms > 0 ? "+" : "−"}${Math.abs(ms)}` : "grid", LEFT - 8, y);
  }
  pen.setLineDash([]);
  pen.fillText("early", LEFT - 8, 26);
  pen.fillText("late", LEFT - 8, split - 26);
  pen.fillText("accent", LEFT - 8, (split + foot) / 2);
  pen.textAlign = "center";
  const roomy = column > 12;
  for (let slot = 0; slot < slots; slot += 1) {
    const x = Math.round(LEFT + slot * column) + 0.5;
    const bar = slot % data.slots === 0;
    if (data.beats[slot]) {
      pen.strokeStyle = bar ? colours().bar : colours().beat;
      line(pen, x, 0, x, foot, bar ? 1.5 : 1);
    }
    if (data.beats[slot] || roomy) {
      pen.fillStyle = data.beats[slot] ? c.ink : c.quiet;
      pen.fillText(data.labels[slot], xOf(slot, frame), height - LABELS / 2);
    }
  }
  pen.strokeStyle = colours().deep;
  line(pen, LEFT, Math.round(foot) + 0.5, width, Math.round(foot) + 0.5, 1);
}

/**
 * @param {any} pen
 * @param {any} data
 * @param {any} frame
 * @param {any} values
 */
function drawLane(pen, data, frame, values) {
  const c = colours();
  const { split, foot, column, slots } = frame;
  const { offset, accent, guessed, spread } = values;
  const wide = Math.max(1, Math.min(18, column * 0.46));
  for (let slot = 0; slot < slots; slot += 1) {
    const x = xOf(slot, frame);
    const y = yOf(offset[slot], data, frame);
    const side = lean(offset[slot]);
    pen.fillStyle = side === "even" ? c.ink : c[side];
    pen.globalAlpha = guessed[slot] ? 0.4 : 1;
    pen.fillRect(x - wide / 2, Math.min(y, frame.middle), wide, Math.abs(y - frame.middle));
    const tall = accent[slot] * (foot - split - 8);
    pen.fillStyle = c.denim;
    pen.fillRect(x - wide / 2, foot - tall, wide, tall);
    if (spread[slot] > 0.5 && column > 10) {
      pen.strokeStyle = c.quiet;
      line(pen, x, yOf(offset[slot] - spread[slot], data, frame), x, yOf(offset[slot] + spread[slot], data, frame), 1);
    }
    pen.globalAlpha = 1;
    if (column > 34) {
      pen.fillStyle = side === "even" ? c.quiet : c[side];
      pen.font = textFont(500, 12, "Plex");
      const words = Math.abs(offset[slot]) < 0.05 ? "0" : `${offset[slot] > 0 ? "+" : "−"}${Math.abs(offset[slot]).toFixed(1)}`;
      pen.fillText(words, x, y + (offset[slot] >= 0 ? 16 : -16));
    }
  }
}

/**
 * @param {any} pen
 * @param {any} data
 * @param {any} frame
 * @param {any} lane
 * @param {string} name
 * @param {any} faded
 */
function drawLine(pen, data, frame, lane, name, faded) {
  const c = colours();
  pen.globalAlpha = faded ? FADED : 1;
  pen.strokeStyle = faded ? c.denim : c.thread;
  pen.lineWidth = faded ? 1.4 : 1.8;
  pen.setLineDash(LANE_DASH[name]);
  pen.beginPath();
  for (let slot = 0; slot < frame.slots; slot += 1) pen.lineTo(xOf(slot, frame), yOf(lane.offset[slot], data, frame));
  pen.stroke();
  pen.setLineDash([]);
  pen.globalAlpha = 1;
  if (faded || frame.column < 7) return;
  for (let slot = 0; slot < frame.slots; slot += 1) {
    pen.beginPath();
    pen.arc(xOf(slot, frame), yOf(lane.offset[slot], data, frame), 4, 0, 2 * Math.PI);
    pen.fillStyle = lane.guessed[slot] ? c.paper : c.thread;
    pen.fill();
    pen.lineWidth = 1.6;
    pen.stroke();
  }
}

/**
 * @param {any} pen
 * @param {any} frame
 * @param {number} slot
 */
function drawSlot(pen, frame, slot) {
  const c = colours();
  pen.strokeStyle = c.thread;
  pen.setLineDash([3, 3]);
  pen.lineWidth = 1.4;
  pen.strokeRect(Math.round(LEFT + slot * frame.column) + 1.5, 2.5, Math.max(3, frame.column - 3), frame.foot - 5);
  pen.setLineDash([]);
}

/**
 * @param {CanvasRenderingContext2D} pen
 * @param {any} x1
 * @param {any} y1
 * @param {any} x2
 * @param {any} y2
 * @param {number} weight
 */
function line(pen, x1, y1, x2, y2, weight) {
  pen.lineWidth = weight;
  pen.beginPath();
  pen.moveTo(x1, y1);
  pen.lineTo(x2, y2);
  pen.stroke();
}
