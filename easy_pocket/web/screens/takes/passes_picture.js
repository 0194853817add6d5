// Passes and the result drawn: a lane for each voice, the written slot a foot, the hit where it was played. Only the rows
// that are seen are drawn.

import { byId } from "../../shared/dom.js";
import { circle, colours, fitted, textFont } from "../../shared/canvas.js";

const ROW = 39;
const EVEN_MS = 2;
const PALE = 0.38;
const FOOT_FROM = 2.5; // hits drawn smaller have no foot
const HEAD_ROOM = 14;

export class PassesPicture {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    this.times = 3;
    /** @type {{ row: number, bar: number } | null} */
    this.cursor = null;
    /** @type {{ pass: number, from: number, to: number } | null} */
    this.marked = null; // bars that are being drawn over
    /** @type {import("./pass_keeper.js").PlayedHit[]} */
    this.live = [];
    this.asked = false;
  }

  get take() {
    return this.screen.data?.take ?? null;
  }

  // Once a frame, however often it is asked for.
  later() {
    if (this.asked) return;
    this.asked = true;
    requestAnimationFrame(() => {
      this.asked = false;
      if (document.getElementById("passes-picture")) this.draw();
    });
  }

  // Only the time round that goes on: what was played before stays as it is drawn.
  drawGoing() {
    const row = document.querySelector(".pass.going");
    const canvas = byId("passes-picture");
    if (!row || !canvas || byId("takes-passes").scrollTop > 0) return;
    const pen = canvas.getContext("2d");
    const width = canvas.clientWidth;
    pen.clearRect(0, row.offsetTop, width, ROW);
    this.grid(pen, width, row.offsetTop, ROW);
    this.drawLive(pen, width, row.offsetTop);
  }

  draw() {
    this.drawRuler();
    this.drawPasses();
    this.drawResult();
  }

  // What the bars of the picture are: those of the take, or of what goes round before there is one.
  get frame() {
    const { take } = this;
    const { data, span } = this.screen;
    if (take) return { length: take.length_ticks, bar: take.bar_ticks, beat: take.beat_ticks, tick_ms: take.tick_ms, first: Math.round(take.start_tick / take.bar_ticks) };
    return { length: span.length_ticks, bar: data?.bar_ticks ?? 3840, beat: 960, tick_ms: data?.tick_ms ?? 0.6, first: Math.round(span.start_tick / (data?.bar_ticks ?? 3840)) };
  }

  drawRuler() {
    const { pen, width } = fitted(byId("takes-ruler"));
    const c = colours();
    const { length, bar, beat, first } = this.frame;
    const step = (width * beat) / length > 26 ? beat : bar;
    pen.font = textFont(500, 12, "Plex");
    for (let tick = 0; tick < length; tick += step) {
      const number = first + Math.floor(tick / bar) + 1;
      const starts = tick % bar === 0;
      pen.fillStyle = starts ? c.ink : c.quiet;
      pen.fillText(starts ? `${number}.1` : `${Math.round((tick % bar) / beat) + 1}`, (tick / length) * width + 2, 13);
    }
  }

  /**
   * @param {CanvasRenderingContext2D} pen
   * @param {number} width
   * @param {number} top
   * @param {number} height
   */
  grid(pen, width, top, height) {
    const c = colours();
    const { length, bar, beat } = this.frame;
    const fine = (width * beat) / length > 20;
    for (let tick = 0; tick < length; tick += fine ? beat : bar) {
      pen.strokeStyle = tick % bar === 0 ? c.bar : c.beat;
      pen.lineWidth = 1;
      const x = Math.round((tick / length) * width) + 0.5;
      pen.beginPath();
      pen.moveTo(x, top);
      pen.lineTo(x, top + height);
      pen.stroke();
    }
  }

  drawPasses() {
    const { pen, width, height } = fitted(byId("passes-picture"));
    const box = byId("takes-passes");
    const rows = [...box.querySelectorAll(".pass")];
    const c = colours();
    const { take } = this;
    const shift = box.scrollTop;
    const known = new Map(take?.passes.map((one) => [one.id, one]));
    const { length, bar } = this.frame;
    const kept = rows.filter((row) => !row.classList.contains("going"));
    rows.forEach((row) => {
      const top = row.offsetTop - shift;
      if (top > height || top + ROW < 0) return;
      this.grid(pen, width, top, ROW);
      const id = Number(row.dataset.pass);
      const pass = known.get(id);
      if (take && pass) {
        for (const [one, key] of take.sews) if (key === id) this.cloth(pen, (one * bar * width) / length, top + 2, (Math.min(bar, length - one * bar) * width) / length, ROW - 4);
        const marked = this.marked?.pass === id ? this.marked : null;
        if (marked) {
          const [from, to] = [Math.min(marked.from, marked.to), Math.max(marked.from, marked.to)];
          pen.fillStyle = c.marked;
          pen.fillRect((from * bar * width) / length, top + 1, ((to - from + 1) * bar * width) / length, ROW - 2);
        }
        this.hits(pen, pass, width, top + 1, ROW - 3, (bars, voice) => this.isSewn(id, bars, voice));
      } else if (!id) this.drawLive(pen, width, top);
      if (this.cursor && kept[this.cursor.row] === row && document.activeElement === box) {
        pen.strokeStyle = c.thread;
        pen.lineWidth = 2;
        pen.strokeRect((this.cursor.bar * bar * width) / length + 2, top + 2, (bar * width) / length - 4, ROW - 4);
      }
    });
  }

  /**
   * @param {number} pass
   * @param {number} bar
   * @param {string} voice
   */
  isSewn(pass, bar, voice) {
    const sews = this.take?.sews ?? [];
    const own = sews.find(([at, , name]) => at === bar && name === voice);
    return (own ?? sews.find(([at, , name]) => at === bar && !name))?.[1] === pass;
  }

  /**
   * A piece of cloth that is sewn in.
   * @param {CanvasRenderingContext2D} pen
   * @param {number} x
   * @param {number} y
   * @param {number} width
   * @param {number} height
   */
  cloth(pen, x, y, width, height) {
    const c = colours();
    pen.fillStyle = c.paper;
    pen.fillRect(x + 1, y, width - 2, height);
    pen.strokeStyle = c.thread;
    pen.lineWidth = 1.5;
    pen.setLineDash([5, 3]);
    pen.strokeRect(x + 2.5, y + 1.5, width - 5, height - 3);
    pen.setLineDash([]);
  }

  /**
   * @param {CanvasRenderingContext2D} pen
   * @param {import("../../shared/shapes").PassData} pass
   * @param {number} width
   * @param {number} top
   * @param {number} height
   * @param {(bar: number, voice: string) => boolean} strong
   */
  hits(pen, pass, width, top, height, strong) {
    const take = /** @type {import("../../shared/shapes").TakeData} */ (this.take);
    const lane = height / Math.max(take.voices.length, 1);
    const shown = take.sews.length > 0;
    for (let hit = 0; hit < pass.tick.length; hit += 1) {
      const voice = pass.voice[hit];
      pen.globalAlpha = !shown || strong(Math.floor(pass.tick[hit] / take.bar_ticks), take.voices[voice]) ? 1 : PALE;
      this.hit(pen, { tick: pass.tick[hit], off_ms: pass.off_ms[hit], velocity: pass.velocity[hit] }, { width, base: top + (voice + 1) * lane, lane, radius: lane > 9 ? 2.2 : 1.6 });
    }
    pen.globalAlpha = 1;
  }

  /**
   * @param {CanvasRenderingContext2D} pen
   * @param {{ tick: number, off_ms: number, velocity: number }} hit
   * @param {{ width: number, base: number, lane: number, radius: number }} at
   */
  hit(pen, hit, at) {
    const c = colours();
    const { length, tick_ms } = this.frame;
    const foot = (hit.tick / length) * at.width;
    const x = foot + ((hit.off_ms * this.times) / tick_ms / length) * at.width;
    const head = at.base - 2 - (hit.velocity / 127) * Math.max(at.lane - 5, 1);
    pen.strokeStyle = pen.fillStyle = hit.off_ms < -EVEN_MS ? c.early : hit.off_ms > EVEN_MS ? c.late : c.ink;
    pen.lineWidth = 1.1;
    pen.beginPath();
    pen.moveTo(foot, at.base - 1);
    pen.lineTo(x, at.base - 1);
    pen.lineTo(x, head);
    pen.stroke();
    circle(pen, x, head, at.radius);
    pen.fill();
    if (at.radius < FOOT_FROM) return;
    circle(pen, foot, at.base - 2, 2);
    pen.fillStyle = c.foot;
    pen.fill();
    pen.strokeStyle = c.footLine;
    pen.stroke();
  }

  /**
   * Hits of the time round that goes on, each where it was struck.
   * @param {CanvasRenderingContext2D} pen
   * @param {number} width
   * @param {number} top
   */
  drawLive(pen, width, top) {
    const round = this.screen.keeper.round;
    if (!round) return;
    const c = colours();
    const columns = this.screen.pads.columns;
    const begin = round.anchor + this.screen.keeper.sentUpTo * round.length_s;
    const lane = (ROW - 4) / Math.max(columns.length, 1);
    pen.fillStyle = pen.strokeStyle = c.thread;
    const all = this.screen.keeper.remembered;
    for (let number = all.length - 1; number >= 0; number -= 1) {
      const hit = all[number];
      const share = (hit.at - begin) / round.length_s;
      if (share < -0.5) break; // those before are older still
      if (hit.round !== round || !hit.armed || share < -0.05 || share > 1) continue;
      circle(pen, Math.max(2, share * width), top + 2 + (columns.indexOf(hit.voice) + 0.5) * lane, 1 + hit.velocity / 60);
      pen.fill();
    }
  }

  drawResult() {
    const { take } = this;
    const { pen, width, height } = fitted(byId("result-picture"));
    this.grid(pen, width, HEAD_ROOM, height - HEAD_ROOM);
    if (!take) return;
    const c = colours();
    const { result } = take;
    const lane = (height - HEAD_ROOM) / Math.max(take.voices.length, 1);
    for (let hit = 0; hit < result.tick.length; hit += 1) {
      const tick = result.tick[hit];
      this.hit(pen, { tick, off_ms: result.off_ms[hit], velocity: result.velocity[hit] }, { width, base: HEAD_ROOM + (result.voice[hit] + 1) * lane, lane, radius: 2.8 });
    }
    this.brackets(pen, width, height);
    pen.strokeStyle = c.thread;
    for (const seam of take.seams) {
      const x = ((seam * take.bar_ticks) / take.length_ticks) * width;
      pen.lineWidth = take.overlaps.includes(seam) ? 3 : 1.5;
      pen.setLineDash([3, 3]);
      pen.beginPath();
      pen.moveTo(x, HEAD_ROOM - 4);
      pen.lineTo(x, height);
      pen.stroke();
      pen.setLineDash([]);
    }
  }

  /**
   * From which pass each stretch of bars comes.
   * @param {CanvasRenderingContext2D} pen
   * @param {number} width
   * @param {number} height
   */
  brackets(pen, width, height) {
    const take = /** @type {import("../../shared/shapes").TakeData} */ (this.take);
    const c = colours();
    const bars = Math.ceil(take.length_ticks / take.bar_ticks);
    const names = new Map(take.passes.map((one) => [one.id, one.name]));
    const of = (/** @type {number} */ bar) => take.sews.find(([at, , voice]) => at === bar && !voice)?.[1] ?? 0;
    pen.font = textFont(600, 12, "Hanken");
    pen.textAlign = "center";
    for (let bar = 0; bar < bars; ) {
      const key = of(bar);
      let end = bar + 1;
      while (end < bars && of(end) === key) end += 1;
      const [left, right] = [bar, end].map((at) => (Math.min(at * take.bar_ticks, take.length_ticks) / take.length_ticks) * width);
      if (key) {
        const name = names.get(key) ?? "";
        const half = pen.measureText(name).width / 2 + 6;
        const middle = (left + right) / 2;
        pen.strokeStyle = c.thread;
        pen.lineWidth = 1.5;
        pen.beginPath();
        pen.moveTo(left + 3, 12);
        pen.lineTo(left + 3, 6);
        pen.lineTo(Math.max(left + 3, middle - half), 6);
        pen.moveTo(Math.min(right - 3, middle + half), 6);
        pen.lineTo(right - 3, 6);
        pen.lineTo(right - 3, 12);
        pen.stroke();
        pen.fillStyle = c.ink;
        pen.fillText(name, middle, 11);
      }
      bar = end;
    }
    pen.textAlign = "left";
    if (!take.sews.length) {
      pen.fillStyle = c.quiet;
      pen.fillText("no bar is sewn in yet", 8, height / 2);
    }
  }
}
