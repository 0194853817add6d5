// The waveform of a loop: from the whole of it down to single samples, or its spectrum; hits and lines over it.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { colours, fitted } from "../../shared/canvas.js";
import { showNote } from "../../shared/notes.js";

const PEAKS_EVERY = 256; // frames in a peak the server sends
const LEAST_SAMPLES = 40; // as near as one can come
const ZOOM = 1.6;
const TOP = 18; // room for the heads of the hits, and for the labels below
const BOTTOM = 0.14;
const MOST_SAMPLES = 600000; // fetched at once: what is seen, and as much to each side of it as fits
const REST_MS = 120;
const MOST_COLUMNS = 1200;

const MOST_MARKS = 300; // hits drawn one by one; more than that could not be pressed apart

export class Wave {
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
    if (this.shows === "spectrum") this.drawSpectrum(pen, width, height);
    else this.drawWave(pen, width, height);
    this.drawDense(pen, width, height);
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

  /**
   * @param {any} pen
   * @param {number} width
   * @param {number} height
   */
  drawDense(pen, width, height) {
    const c = colours();
    const bottom = height * (1 - BOTTOM);
    for (const { element, at } of this.dense) {
      const { classList } = element;
      if (classList.contains("gone")) continue;
      const chosen = classList.contains("chosen");
      pen.fillStyle = chosen ? c.thread : classList.contains("late") ? c.late : classList.contains("early") ? c.early : c.ink;
      pen.globalAlpha = chosen ? 1 : classList.contains("faded") ? 0.08 : 0.4;
      pen.fillRect(Math.round((this.percent(at) * width) / 100), 4, chosen ? 3 : 1, chosen ? bottom - 4 : 10);
    }
    pen.globalAlpha = 1;
  }

  /**
   * @param {any} pen
   * @param {number} width
   * @param {number} height
   */
  drawWave(pen, width, height) {
    const { from, to } = this.view;
    const perPixel = ((to - from) * this.rate) / width;
    const middle = TOP + (height * (1 - BOTTOM) - TOP) / 2;
    const reach = (height * (1 - BOTTOM) - TOP) / 2 - 2;
    pen.fillStyle = pen.strokeStyle = "#a3b0d0";
    if (perPixel >= PEAKS_EVERY || !this.samplesFor(from, to)) {
      if (this.peaks) this.drawPeaks(pen, width, middle, reach, from * this.rate, perPixel);
      return;
    }
    const { start, samples } = this.span;
    if (perPixel < 3) {
      this.drawSamples(pen, width, middle, reach, perPixel);
      return;
    }
    for (let x = 0; x < width; x += 1) {
      const first = Math.floor(from * this.rate + x * perPixel) - start;
      const last = Math.max(first + 1, Math.floor(from * this.rate + (x + 1) * perPixel) - start);
      let low = 32767;
      let high = -32768;
      for (let index = Math.max(0, first); index < Math.min(last, samples.length); index += 1) {
        low = Math.min(low, samples[index]);
        high = Math.max(high, samples[index]);
      }
      if (high >= low) pen.fillRect(x, middle - (high / 32768) * reach, 1, Math.max(1, ((high - low) / 32768) * reach));
    }
  }

  /**
   * @param {CanvasRenderingContext2D} pen
   * @param {number} width
   * @param {number} middle
   * @param {any} reach
   * @param {any} firstFrame
   * @param {number} perPixel
   */
  drawPeaks(pen, width, middle, reach, firstFrame, perPixel) {
    const { peaks } = this;
    for (let x = 0; x < width; x += 1) {
      const first = Math.floor((firstFrame + x * perPixel) / PEAKS_EVERY);
      const last = Math.max(first + 1, Math.floor((firstFrame + (x + 1) * perPixel) / PEAKS_EVERY));
      let low = 127;
      let high = -128;
      for (let index = Math.max(0, first); index < Math.min(last, peaks.length / 2); index += 1) {
        low = Math.min(low, peaks[2 * index]);
        high = Math.max(high, peaks[2 * index + 1]);
      }
      if (high >= low) pen.fillRect(x, middle - (high / 127) * reach, 1, Math.max(1, ((high - low) / 127) * reach));
    }
  }

  /**
   * Near enough to see them: every sample a dot on a line.
   * @param {CanvasRenderingContext2D} pen
   * @param {number} width
   * @param {number} middle
   * @param {any} reach
   * @param {number} perPixel
   */
  drawSamples(pen, width, middle, reach, perPixel) {
    const { start, samples } = this.span;
    const from = this.view.from * this.rate;
    const first = Math.max(start, Math.floor(from) - 1);
    const last = Math.min(start + samples.length - 1, Math.ceil(from + width * perPixel) + 1);
    pen.strokeStyle = colours().denim;
    pen.fillStyle = colours().denim;
    pen.lineWidth = 1.2;
    pen.beginPath();
    for (let frame = first; frame <= last; frame += 1) pen.lineTo((frame - from) / perPixel, middle - (samples[frame - start] / 32768) * reach);
    pen.stroke();
    if (perPixel > 0.25) return;
    for (let frame = first; frame <= last; frame += 1) pen.fillRect((frame - from) / perPixel - 1.5, middle - (samples[frame - start] / 32768) * reach - 1.5, 3, 3);
  }

  /**
   * Whether the samples of what is seen are here; if not they are fetched, and the peaks stand in.
   * @param {number} from
   * @param {number} to
   */
  samplesFor(from, to) {
    const first = Math.floor(from * this.rate);
    const last = Math.ceil(to * this.rate);
    const { span } = this;
    if (span && first >= span.start && last <= span.start + span.samples.length + 1) return true;
    if (this.failed === `${first} ${last}`) return false; // asked for again when one looks elsewhere
    const width = last - first;
    const ahead = Math.max(0, Math.min(width, Math.floor((MOST_SAMPLES - width - 2) / 2)));
    this.wanted = { start: Math.max(0, first - ahead), count: Math.min(width + 2 * ahead + 2, MOST_SAMPLES), seen: `${first} ${last}` };
    if (!this.fetching) this.fetchSamples();
    return false;
  }

  async fetchSamples() {
    this.fetching = true;
    while (this.wanted) {
      const { start, count, seen } = this.wanted;
      this.wanted = null;
      const data = await this.bytes(`samples.bin?start=${start}&count=${count}`);
      if (data) this.span = { start, samples: new Int16Array(data) };
      this.failed = data ? null : seen;
    }
    this.fetching = false;
    this.later();
  }

  /**
   * @param {any} pen
   * @param {number} width
   * @param {number} height
   */
  drawSpectrum(pen, width, height) {
    const { from, to } = this.view;
    const { picture } = this;
    if (picture) {
      const scale = width / ((to - from) * this.rate);
      const left = (picture.start - from * this.rate) * scale;
      pen.imageSmoothingEnabled = true;
      pen.drawImage(picture.canvas, left, TOP, picture.count * scale, height * (1 - BOTTOM) - TOP);
    }
    const start = Math.floor(from * this.rate);
    const count = Math.max(1, Math.ceil((to - from) * this.rate));
    if (picture?.start === start && picture.count === count) return;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.fetchSpectrum(start, count, Math.min(MOST_COLUMNS, Math.round(width))), picture ? REST_MS : 0);
  }

  /**
   * @param {number} start
   * @param {number} count
   * @param {any} columns
   */
  async fetchSpectrum(start, count, columns) {
    const data = await this.bytes(`spectrum.bin?start=${start}&count=${count}&columns=${columns}`);
    if (!data) return;
    const levels = new Uint8Array(data);
    const bands = levels.length / columns;
    const canvas = document.createElement("canvas");
    canvas.width = columns;
    canvas.height = bands;
    const image = new ImageData(columns, bands);
    // From paper to ink: what is loud is dark, as print on the page is.
    for (let band = 0; band < bands; band += 1) {
      for (let column = 0; column < columns; column += 1) {
        const share = levels[band * columns + column] / 255;
        const at = 4 * ((bands - 1 - band) * columns + column);
        image.data[at] = 250 - 217 * share;
        image.data[at + 1] = 246 - 195 * share;
        image.data[at + 2] = 238 - 128 * share;
        image.data[at + 3] = 255;
      }
    }
    canvas.getContext("2d")?.putImageData(image, 0, 0);
    this.picture = { start, count, canvas };
    this.later();
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
