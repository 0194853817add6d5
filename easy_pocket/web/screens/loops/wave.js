// The waveform of a loop: from the whole of it down to single samples, or its spectrum; hits and lines over it.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { fitted } from "../../shared/canvas.js";
import { showNote } from "../../shared/notes.js";
import { drawDense, drawSpectrum, drawWave } from "./wave_picture.js";

const LEAST_SAMPLES = 40; // as near as one can come
const ZOOM = 1.6;

const MOST_MARKS = 300; // hits drawn one by one; more than that could not be pressed apart

export class Wave {
  /** @type {any} */
  failed;
  /** @type {any} */
  wanted;
  /** @type {any} */
  fetching;
  /** @type {any} */
  timer;
  /** @type {any} */
  of;
  /** @type {any} */
  rate;
  /** @type {any} */
  duration;
  /** @type {any} */
  played;
  /** @param {any} loops */
  constructor(loops) {
    this.loops = loops;
    /** @type {Map<any, any>} */
    this.kept = new Map(); // what was looked at, by loop
    /** @type {any} */
    this.peaks = null;
    /** @type {any} */
    this.span = null; // {start, samples} of single samples, while they are looked at
    /** @type {any} */
    this.picture = null; // {start, count, image} of the spectrum
    this.shows = "wave";
    /** @type {any[]} */
    this.hits = [];
    /** @type {any[]} */
    this.lines = [];
    /** @type {any[]} */
    this.dense = [];
    /** @type {Set<any>} */
    this.placed = new Set();
    window.addEventListener("resize", () => this.later());
    document.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
  }

  get box() {
    return byId("wave");
  }

  get view() {
    return this.kept.get(this.loops.address) ?? { from: 0, to: this.duration };
  }

  mount() {
    const { box } = this;
    this.duration = Number(box.dataset.duration);
    this.rate = Number(box.dataset.rate);
    if (this.of !== this.loops.address) Object.assign(this, { of: this.loops.address, peaks: null, span: null, picture: null });
    if (!this.peaks) this.fetchPeaks();
    this.collect();
    this.show(this.shows);
  }

  /** @param {string} path */
  async bytes(path) {
    const { of } = this;
    const answer = await ask(`${of}/${path}`).catch(() => null);
    if (of !== this.of) return null;
    if (answer?.ok) return answer.arrayBuffer();
    showNote("The waveform could not be fetched: Easy Pocket does not answer just now. It is drawn when it does.", { wrong: true, near: this.box });
    return null;
  }

  async fetchPeaks() {
    const data = await this.bytes("peaks.bin");
    if (!data) return;
    this.peaks = new Int8Array(data);
    this.later();
  }

  // Where one looks --------------------------------------------------------------------------------------------------
  /**
   * @param {number} from
   * @param {any} to
   */
  look(from, to) {
    const least = LEAST_SAMPLES / this.rate;
    const length = Math.max(least, Math.min(to - from, this.duration));
    const start = Math.max(0, Math.min(from, this.duration - length));
    this.kept.set(this.of, { from: start, to: start + length });
    this.later();
  }

  /**
   * @param {number} factor
   * @param {any} [around]
   */
  zoom(factor, around = (this.view.from + this.view.to) / 2) {
    const { from, to } = this.view;
    const length = Math.max(LEAST_SAMPLES / this.rate, Math.min((to - from) * factor, this.duration));
    const start = around - ((around - from) / (to - from)) * length;
    this.look(start, start + length);
  }

  /** @param {number} share */
  pan(share) {
    const { from, to } = this.view;
    this.look(from + (to - from) * share, to + (to - from) * share);
  }

  /**
   * Bring a time into sight.
   * @param {number} time
   */
  follow(time) {
    const { from, to } = this.view;
    if (time < from || time >= to) this.look(time - (to - from) / 2, time + (to - from) / 2);
  }

  /**
   * Turn the page when what plays leaves it; one who looks elsewhere is left alone.
   * @param {number} time
   */
  turn(time) {
    const { from, to } = this.view;
    const seen = (/** @type {any} */ at) => at >= from && at < to;
    if (!seen(time) && seen(this.played) && Math.abs(time - this.played) < (to - from) / 2) this.look(time, time + (to - from));
    this.played = time;
  }

  whole() {
    this.look(0, this.duration);
  }

  /** @param {any} what */
  show(what) {
    this.shows = what;
    for (const button of document.querySelectorAll("[data-wave-show]")) {
      button.classList.toggle("on", button.dataset.waveShow === what);
      button.setAttribute("aria-pressed", button.dataset.waveShow === what);
    }
    this.later();
  }

  /** @param {number} time */
  percent(time) {
    const { from, to } = this.view;
    return (100 * (time - from)) / (to - from);
  }

  /** @param {number} clientX */
  timeAt(clientX) {
    const box = this.box.getBoundingClientRect();
    const { from, to } = this.view;
    const time = from + ((to - from) * Math.max(0, Math.min(box.width, clientX - box.left))) / box.width;
    return Math.max(0, Math.min(time, this.duration - 1e-4));
  }

  /** @param {PageEvent} event */
  wheel(event) {
    if (!event.target.closest?.("#wave")) return;
    event.preventDefault();
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) this.pan((event.deltaX || event.deltaY) / 800);
    else this.zoom(event.deltaY > 0 ? ZOOM ** 0.5 : ZOOM ** -0.5, this.timeAt(event.clientX));
  }

  /** @param {Piece} button */
  click(button) {
    const { waveZoom, waveShow } = button.dataset;
    if (waveShow) this.show(waveShow);
    else if (waveZoom === "in") this.zoom(1 / ZOOM);
    else if (waveZoom === "out") this.zoom(ZOOM);
    else if (waveZoom === "whole") this.whole();
    else return false;
    return true;
  }

  get keys() {
    return [
      { keys: "+", shows: "+ − 0", words: "zoom, all of it", run: () => this.zoom(1 / ZOOM) },
      { keys: "-", run: () => this.zoom(ZOOM) },
      { keys: "0", run: () => this.whole() },
      { keys: "PageDown", shows: "Page ↑ ↓", words: "along the waveform", run: () => this.pan(0.8) },
      { keys: "PageUp", run: () => this.pan(-0.8) },
    ];
  }

  // Drawing ----------------------------------------------------------------------------------------------------------
  later() {
    if (this.waiting) return;
    this.waiting = requestAnimationFrame(() => {
      this.waiting = null;
      this.draw();
    });
  }

  draw() {
    const canvas = byId("wave-canvas");
    if (!canvas || !this.duration) return;
    this.place();
    const { pen, width, height } = fitted(canvas);
    if (this.shows === "spectrum") drawSpectrum(this, pen, width, height);
    else drawWave(this, pen, width, height);
    drawDense(this, pen, width, height);
    const { from, to } = this.view;
    Object.assign(this.box.dataset, { from, to });
    const shown = byId("wave-view");
    const digits = to - from < 0.5 ? 4 : 2;
    shown.textContent = to - from < this.duration - 1e-6 ? `${from.toFixed(digits)}–${to.toFixed(digits)} s` : "all of it";
    this.drawnAt = performance.now();
  }

  // Hits and lines by time, as the page has them; only those in sight are touched while one zooms and goes along.
  collect() {
    const sorted = (/** @type {any} */ query) => [...document.querySelectorAll(query)].map((element) => ({ element, at: Number(element.dataset.at) })).sort((one, other) => one.at - other.at);
    this.hits = sorted("#wave-over .onset");
    this.lines = sorted("#wave-over > [data-at]:not(.onset)");
    this.placed = new Set();
  }

  /** @param {any} marks */
  inSight(marks) {
    const { from, to } = this.view;
    const edge = (to - from) * 0.05;
    return marks.slice(firstAfter(marks, from - edge), firstAfter(marks, to + edge));
  }

  // Everything over the waveform goes where its time is now. Hits too close to be told apart are drawn on the canvas.
  place() {
    const { from, to } = this.view;
    const hits = this.inSight(this.hits);
    const lines = this.inSight(this.lines);
    this.dense = hits.length > MOST_MARKS ? hits : [];
    const seen = [...(this.dense.length ? [] : hits), ...(lines.length > 2 * MOST_MARKS ? [] : lines)].map(({ element }) => element);
    const now = new Set(seen);
    for (const element of this.placed) if (!now.has(element)) element.style.display = "none";
    for (const element of seen) {
      const at = this.percent(Number(element.dataset.at));
      element.style.display = "inline";
      if (element.tagName === "line") {
        element.setAttribute("x1", `${at}%`);
        element.setAttribute("x2", `${at}%`);
      } else element.setAttribute("x", `${at}%`);
    }
    this.placed = now;
    for (const one of document.querySelectorAll("#wave-over [data-until]")) {
      const left = Math.max(from, Number(one.dataset.from));
      const right = Math.min(to, Number(one.dataset.until));
      one.style.display = right > left ? "" : "none";
      one.setAttribute("x", `${this.percent(left)}%`);
      one.setAttribute("width", `${Math.max(0, this.percent(right) - this.percent(left))}%`);
    }
  }

}

/**
 * Where in marks sorted by time the first one at or after a time is.
 * @param {any} marks
 * @param {number} time
 */
function firstAfter(marks, time) {
  let low = 0;
  let high = marks.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (marks[middle].at < time) low = middle + 1;
    else high = middle;
  }
  return low;
}
