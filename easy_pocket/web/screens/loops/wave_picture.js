// How a loop is drawn: hits too many to press, peaks, single samples, or the spectrum; what is missing is fetched.

import { colours } from "../../shared/canvas.js";

const PEAKS_EVERY = 256; // frames in a peak the server sends
const TOP = 18; // room for the heads of the hits, and for the labels below
const BOTTOM = 0.14;
const MOST_SAMPLES = 600000; // fetched at once: what is seen, and as much to each side of it as fits
const REST_MS = 120;
const MOST_COLUMNS = 1200;

/**
 * @param {import("./wave.js").Wave} wave
 * @param {any} pen
 * @param {number} width
 * @param {number} height
 */
export function drawDense(wave, pen, width, height) {
  const c = colours();
  const bottom = height * (1 - BOTTOM);
  for (const { element, at } of wave.dense) {
    const { classList } = element;
    if (classList.contains("gone")) continue;
    const chosen = classList.contains("chosen");
    pen.fillStyle = chosen ? c.thread : classList.contains("late") ? c.late : classList.contains("early") ? c.early : c.ink;
    pen.globalAlpha = chosen ? 1 : classList.contains("faded") ? 0.08 : 0.4;
    pen.fillRect(Math.round((wave.percent(at) * width) / 100), 4, chosen ? 3 : 1, chosen ? bottom - 4 : 10);
  }
  pen.globalAlpha = 1;
}

/**
 * @param {import("./wave.js").Wave} wave
 * @param {any} pen
 * @param {number} width
 * @param {number} height
 */
export function drawWave(wave, pen, width, height) {
  const { from, to } = wave.view;
  const perPixel = ((to - from) * wave.rate) / width;
  const middle = TOP + (height * (1 - BOTTOM) - TOP) / 2;
  const reach = (height * (1 - BOTTOM) - TOP) / 2 - 2;
  pen.fillStyle = pen.strokeStyle = colours().wave;
  if (perPixel >= PEAKS_EVERY || !samplesFor(wave, from, to)) {
    if (wave.peaks) drawPeaks(wave, pen, width, middle, reach, from * wave.rate, perPixel);
    return;
  }
  const { start, samples } = wave.span;
  if (perPixel < 3) {
    drawSamples(wave, pen, width, middle, reach, perPixel);
    return;
  }
  for (let x = 0; x < width; x += 1) {
    const first = Math.floor(from * wave.rate + x * perPixel) - start;
    const last = Math.max(first + 1, Math.floor(from * wave.rate + (x + 1) * perPixel) - start);
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
 * @param {import("./wave.js").Wave} wave
 * @param {CanvasRenderingContext2D} pen
 * @param {number} width
 * @param {number} middle
 * @param {any} reach
 * @param {any} firstFrame
 * @param {number} perPixel
 */
export function drawPeaks(wave, pen, width, middle, reach, firstFrame, perPixel) {
  const { peaks } = wave;
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
 * @param {import("./wave.js").Wave} wave
 * @param {CanvasRenderingContext2D} pen
 * @param {number} width
 * @param {number} middle
 * @param {any} reach
 * @param {number} perPixel
 */
export function drawSamples(wave, pen, width, middle, reach, perPixel) {
  const { start, samples } = wave.span;
  const from = wave.view.from * wave.rate;
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
 * @param {import("./wave.js").Wave} wave
 * @param {number} from
 * @param {number} to
 */
export function samplesFor(wave, from, to) {
  const first = Math.floor(from * wave.rate);
  const last = Math.ceil(to * wave.rate);
  const { span } = wave;
  if (span && first >= span.start && last <= span.start + span.samples.length + 1) return true;
  if (wave.failed === `${first} ${last}`) return false; // asked for again when one looks elsewhere
  const width = last - first;
  const ahead = Math.max(0, Math.min(width, Math.floor((MOST_SAMPLES - width - 2) / 2)));
  wave.wanted = { start: Math.max(0, first - ahead), count: Math.min(width + 2 * ahead + 2, MOST_SAMPLES), seen: `${first} ${last}` };
  if (!wave.fetching) fetchSamples(wave);
  return false;
}

/**
 * @param {import("./wave.js").Wave} wave
 */
export async function fetchSamples(wave) {
  wave.fetching = true;
  while (wave.wanted) {
    const { start, count, seen } = wave.wanted;
    wave.wanted = null;
    const data = await wave.bytes(`samples.bin?start=${start}&count=${count}`);
    if (data) wave.span = { start, samples: new Int16Array(data) };
    wave.failed = data ? null : seen;
  }
  wave.fetching = false;
  wave.later();
}

/**
 * @param {import("./wave.js").Wave} wave
 * @param {any} pen
 * @param {number} width
 * @param {number} height
 */
export function drawSpectrum(wave, pen, width, height) {
  const { from, to } = wave.view;
  const { picture } = wave;
  if (picture) {
    const scale = width / ((to - from) * wave.rate);
    const left = (picture.start - from * wave.rate) * scale;
    pen.imageSmoothingEnabled = true;
    pen.drawImage(picture.canvas, left, TOP, picture.count * scale, height * (1 - BOTTOM) - TOP);
  }
  const start = Math.floor(from * wave.rate);
  const count = Math.max(1, Math.ceil((to - from) * wave.rate));
  if (picture?.start === start && picture.count === count) return;
  clearTimeout(wave.timer);
  wave.timer = setTimeout(() => fetchSpectrum(wave, start, count, Math.min(MOST_COLUMNS, Math.round(width))), picture ? REST_MS : 0);
}

/**
 * @param {import("./wave.js").Wave} wave
 * @param {number} start
 * @param {number} count
 * @param {any} columns
 */
export async function fetchSpectrum(wave, start, count, columns) {
  const data = await wave.bytes(`spectrum.bin?start=${start}&count=${count}&columns=${columns}`);
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
  wave.picture = { start, count, canvas };
  wave.later();
}
