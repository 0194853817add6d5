// How fast a roll goes, drawn half beat by half beat.

import { byId } from "../../shared/dom.js";

export const RATES = ["", "8", "8T", "16", "16T", "32", "32T", "64"];
/** @type {Record<string, any>} */
const NAMES = { "": "rest", 8: "8ths", "8T": "8th triplets", 16: "16ths", "16T": "16th triplets", 32: "32nds", "32T": "32nd triplets", 64: "64ths" };

export class RateStrip {
  /** @param {any} settings */
  constructor(settings) {
    this.settings = settings;
    this.cell = 0;
    document.addEventListener("pointerdown", (event) => event.target.id === "roll-rates" && this.down(event));
    document.addEventListener("pointermove", (event) => this.drawing && this.drawAt(event));
    document.addEventListener("pointerup", () => (this.drawing = false));
  }

  get canvas() {
    return byId("roll-rates");
  }

  get cells() {
    return Math.min(64, Math.max(1, this.settings.beats * 2));
  }

  get rates() {
    const drawn = this.settings.values.roll.rates ?? [];
    return Array.from({ length: this.cells }, (_, cell) => drawn[cell] ?? "16");
  }

  /** @param {PageEvent} event */
  down(event) {
    this.canvas.setPointerCapture(event.pointerId);
    this.drawing = true;
    this.drawAt(event);
  }

  /** @param {PageEvent} event */
  drawAt(event) {
    const box = this.canvas.getBoundingClientRect();
    const cell = Math.max(0, Math.min(this.cells - 1, Math.floor(((event.clientX - box.left) / box.width) * this.cells)));
    const level = Math.max(0, Math.min(RATES.length - 1, Math.floor((1 - (event.clientY - box.top) / box.height) * RATES.length)));
    this.put(cell, RATES[level]);
  }

  /**
   * @param {any} cell
   * @param {number | string} rate
   */
  put(cell, rate) {
    this.cell = cell;
    const { rates } = this;
    if (this.settings.values.roll.rates && rates[cell] === rate) return;
    rates[cell] = rate;
    this.settings.set("rates", rates);
    this.draw();
  }

  get keys() {
    const when = () => document.activeElement === this.canvas;
    const at = () => RATES.indexOf(this.rates[this.cell]);
    const go = (/** @type {any} */ cell) => {
      this.cell = Math.max(0, Math.min(this.cells - 1, cell));
      this.draw();
    };
    const put = (/** @type {any} */ level) => {
      this.put(this.cell, RATES[Math.max(0, Math.min(RATES.length - 1, level))]);
      this.draw();
    };
    return [
      { keys: "ArrowLeft", when, run: () => go(this.cell - 1) },
      { keys: "ArrowRight", when, run: () => go(this.cell + 1) },
      { keys: "ArrowUp", when, run: () => put(at() + 1) },
      { keys: "ArrowDown", when, run: () => put(at() - 1) },
    ];
  }

  draw() {
    const { canvas } = this;
    if (!canvas?.clientWidth) return;
    const scale = window.devicePixelRatio || 1;
    const [width, height] = [canvas.clientWidth, canvas.clientHeight];
    Object.assign(canvas, { width: width * scale, height: height * scale });
    const pen = canvas.getContext("2d");
    pen.scale(scale, scale);
    const look = getComputedStyle(document.documentElement);
    const colour = (/** @type {string} */ name) => look.getPropertyValue(name).trim();
    const drawn = Boolean(this.settings.values.roll.rates);
    const column = width / this.cells;
    pen.fillStyle = colour("--sack-deep");
    pen.fillRect(0, 0, width, height);
    this.rates.forEach((rate, cell) => {
      const share = RATES.indexOf(rate) / (RATES.length - 1);
      pen.fillStyle = colour(drawn ? "--thread" : "--seam-deep");
      pen.fillRect(cell * column + 1, height - share * (height - 4) - 3, column - 2, 3);
      pen.globalAlpha = 0.22;
      pen.fillRect(cell * column + 1, height - share * (height - 4), column - 2, share * (height - 4));
      pen.globalAlpha = 1;
      if (cell % 2 === 0 && cell) {
        pen.fillStyle = colour("--seam-deep");
        pen.fillRect(Math.round(cell * column), 0, 1, height);
      }
      if (cell === this.cell && document.activeElement === canvas) {
        pen.strokeStyle = colour("--denim");
        pen.strokeRect(cell * column + 1.5, 1.5, column - 3, height - 3);
      }
    });
    byId("roll-words").textContent = drawn ? this.rates.filter((rate, cell, all) => rate !== all[cell - 1]).map((rate) => NAMES[rate]).join(", ") : "Draw how fast it goes, half beat by half beat.";
  }
}
