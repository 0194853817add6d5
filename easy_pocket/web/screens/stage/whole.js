// The whole, measured: what goes round, before and after its Stage, and where the ceiling works.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { colours, fitted, textFont } from "../../shared/canvas.js";

const AFTER_EDIT_MS = 350;
const AFTER_EDIT_PLAYING_MS = 1200; // the sound and what is changed next come first
const AGAIN_MS = 1500;
const TOLD_MS = 80; // a number that changes faster is not read
const LOWEST_DB = -42;
const SILENT_LUFS = -70;
const TAKEN_SCALE = 4; // of the picture's height, for a dB that a compressor takes
const signed = (/** @type {number} */ value, unit = "") => `${value < 0 ? "−" : value > 0 ? "+" : ""}${Math.abs(value).toFixed(1)}${unit}`;

const loudness = (/** @type {number} */ value) => (value <= SILENT_LUFS ? "silent" : signed(value));

export class Whole {
  /** @param {import("./stage.js").default} stage */
  constructor(stage) {
    this.stage = stage;
    /** @type {import("../../shared/shapes").Measured | null} */
    this.measured = null;
    this.position = /** @type {number | null} */ (null);
    this.told = 0; // when the numbers of compressors were written last, ms
    /** @type {HTMLCanvasElement | null} */
    this.still = null; // the picture without its needle
    for (const name of ["resize", "tab"]) window.addEventListener(name, () => stage.mounted && this.draw());
  }

  get canvas() {
    return byId("whole-picture");
  }

  mount() {
    this.measure();
  }

  unmount() {
    clearTimeout(this.timer);
  }

  // When hands rest.
  later() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.measure(), this.stage.page.player.running ? AFTER_EDIT_PLAYING_MS : AFTER_EDIT_MS);
    this.show();
  }

  /**
   * One at a time: what was changed while one is under way is measured after it.
   * @returns {Promise<void>}
   */
  async measure() {
    if (this.measuring) {
      this.again = true;
      return;
    }
    this.measuring = true;
    this.again = false;
    const song = this.stage.page.song.id;
    const answer = await ask(`/songs/${song}/stage/measured`).catch(() => null);
    const measured = answer?.ok ? await answer.json().catch(() => null) : null;
    this.measuring = false;
    if (!this.stage.mounted) return;
    if (this.again || song !== this.stage.page.song.id) return this.measure();
    if (!measured) {
      this.timer = setTimeout(() => this.measure(), AGAIN_MS); // a busy server, or one that is away
      return;
    }
    this.measured = measured;
    this.show();
    this.draw();
    this.stage.crowd.show();
  }

  show() {
    const { measured } = this;
    if (!measured) return;
    /** @type {Record<string, string>} */
    const told = {
      lufs: measured.lufs <= SILENT_LUFS ? "silent" : signed(measured.lufs),
      true_peak_db: measured.lufs <= SILENT_LUFS ? "–" : signed(measured.true_peak_db, " dB"),
      ceiling_takes_db: measured.ceiling_times ? `−${measured.ceiling_takes_db.toFixed(1)} dB` : "0 dB",
      short_lufs: loudness(measured.short_lufs),
      momentary_lufs: loudness(measured.momentary_lufs),
      compressors: Object.keys(measured.taken).length ? `−${Math.max(...Object.values(measured.taken).flatMap((units) => Object.values(units).flat())).toFixed(1)} dB` : "none",
      ceiling_words: measured.ceiling_times ? `ceiling, ${measured.ceiling_times} time${measured.ceiling_times > 1 ? "s" : ""}` : "ceiling at rest",
    };
    for (const place of document.querySelectorAll("[data-measured]")) place.textContent = told[place.dataset.measured];
    this.showTaken(measured);
    byId("matched").textContent = `matched ${signed(measured.matched_db, " dB")}`;
    for (const place of document.querySelectorAll("[data-heard]")) {
      const lufs = measured.heard[place.dataset.heard];
      place.textContent = lufs === undefined || lufs <= SILENT_LUFS ? "silent" : signed(lufs);
    }
  }

  // What the compressors of the chain that is shown take over the music, hung from the top of their pictures.
  /** @param {import("../../shared/shapes").Measured} measured */
  showTaken(measured) {
    const taken = measured.taken[this.stage.place.replace(/^kit:/, "part:")] ?? {};
    const before = Number(document.querySelector("[data-chain]")?.dataset.before ?? 0);
    const on = [...document.querySelectorAll('.unit:has([data-unit-on][aria-pressed="true"])')];
    for (const path of document.querySelectorAll("[data-took]")) {
      const unit = path.closest(".unit");
      const values = taken[on.indexOf(unit) + before] ?? [];
      const most = Math.max(0, ...values);
      const across = 122 / Math.max(values.length, 1);
      path.setAttribute("d", on.includes(unit) && most > 0.05 ? `M0 0${values.map((db, at) => `L${(at * across).toFixed(1)} ${Math.min(56, db * TAKEN_SCALE).toFixed(1)}`).join("")}L122 0Z` : "");
      unit.querySelector("[data-took-words]").textContent = !on.includes(unit) ? "" : most > 0.05 ? `takes ${most.toFixed(1)} dB at most` : "takes nothing";
    }
  }

  // Where the needle stands in the picture, in whole pixels.
  /** @param {number} width */
  needleAt(width) {
    return this.position === null || !this.measured ? null : Math.round((this.position / this.measured.length_s) * width);
  }

  draw() {
    const { canvas, measured } = this;
    if (!canvas?.clientWidth || !measured) return;
    const { pen, width, height } = fitted(canvas);
    const ink = colours();
    const down = (/** @type {number} */ db) => 3 + ((measured.ceiling_db - Math.max(LOWEST_DB, db)) / (measured.ceiling_db - LOWEST_DB)) * (height - 20);
    const across = (/** @type {number} */ at) => (at / measured.after.length) * width;
    const line = (/** @type {number[]} */ values) => {
      pen.beginPath();
      values.forEach((db, at) => pen.lineTo(across(at), down(db)));
    };
    line(measured.after);
    pen.lineTo(width, height - 14);
    pen.lineTo(0, height - 14);
    pen.globalAlpha = 0.35;
    pen.fillStyle = ink.wave;
    pen.fill();
    pen.globalAlpha = 1;
    line(measured.after);
    pen.strokeStyle = ink.denim;
    pen.lineWidth = 1.6;
    pen.stroke();
    line(measured.before);
    pen.strokeStyle = ink.quiet;
    pen.lineWidth = 1;
    pen.setLineDash([2, 2]);
    pen.stroke();
    pen.setLineDash([]);
    pen.strokeStyle = ink.thread;
    pen.beginPath();
    pen.moveTo(0, 3.5);
    pen.lineTo(width, 3.5);
    pen.stroke();
    // What the ceiling takes hangs from it.
    pen.fillStyle = ink.thread;
    measured.takes.forEach((db, at) => db > 0.05 && pen.fillRect(across(at), 3, Math.max(1, width / measured.takes.length), Math.min(height / 2, db * 4)));
    this.bars(pen, ink, width, height);
    this.still = document.createElement("canvas");
    this.still.width = canvas.width;
    this.still.height = canvas.height;
    this.still.getContext("2d")?.drawImage(/** @type {any} */ (canvas), 0, 0);
    this.drawNeedle(pen, width, height);
  }

  /**
   * @param {CanvasRenderingContext2D} pen
   * @param {number} width
   * @param {number} height
   */
  drawNeedle(pen, width, height) {
    const at = this.needleAt(width);
    this.drawnAt = at;
    if (at === null) return;
    pen.fillStyle = colours().thread;
    pen.fillRect(at - 1, 0, 2, height - 14);
  }

  // The picture stands; only the needle goes over it, and only where it has moved.
  moveNeedle() {
    const { canvas, still } = this;
    if (!still || !canvas?.clientWidth || this.needleAt(canvas.clientWidth) === this.drawnAt) return;
    const { pen, width, height } = fitted(canvas);
    pen.drawImage(still, 0, 0, width, height);
    this.drawNeedle(pen, width, height);
  }

  /**
   * @param {CanvasRenderingContext2D} pen
   * @param {any} ink
   * @param {number} width
   * @param {number} height
   */
  bars(pen, ink, width, height) {
    const { bars } = this.stage.page.playing;
    pen.fillStyle = ink.quiet;
    pen.font = textFont(500, 12, "Plex");
    for (let bar = 0; bar < bars; bar += 1) {
      pen.fillText(`${bar + 1}`, (bar / bars) * width + 2, height - 2);
      pen.fillRect((bar / bars) * width, height - 14, 1, 4);
    }
  }

  /** @param {number | null} position */
  needle(position) {
    if (position === this.position || !this.stage.mounted) return;
    this.position = this.stage.page.player.mode === "stack" ? position : null;
    this.moveNeedle();
    const now = performance.now();
    if (position !== null && now - this.told < TOLD_MS) return;
    this.told = now;
    this.tellReductions();
  }

  // What each compressor of the chain that is shown takes just now.
  tellReductions() {
    const own = this.stage.place.replace(/^kit:/, "part:");
    const taken = (this.stage.page.player.stage?.reductions ?? []).filter((/** @type {any} */ { where }) => where === own);
    if (!taken.length) return;
    const before = Number(document.querySelector("[data-chain]")?.dataset.before ?? 0);
    const on = [...document.querySelectorAll("[data-taken]")].filter((one) => one.closest(".unit")?.querySelector('[data-unit-on][aria-pressed="true"]'));
    for (const { at, db } of taken) if (on[at - before]) on[at - before].textContent = db > 0.05 ? `−${db.toFixed(1)}` : "";
  }
}
