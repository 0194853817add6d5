// How late each device is: tapped along to clicks, measured by the server, kept in this browser; taken off every hit.

import { askJson } from "./ask_json.js";
import { byId } from "../../shared/dom.js";
import { circle, colours, fitted, textFont } from "../../shared/canvas.js";
import { showNote } from "../../shared/notes.js";

const KEPT = "easy-pocket-latency";
const CLICKS = 16;
const APART_S = 0.5;
const WAITS_S = 0.7;

export class Latency {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    this.known = JSON.parse(localStorage.getItem(KEPT) ?? "{}");
    this.source = "keys"; // whose is shown
    /** @type {{ clicks: number[], taps: number[], source: string } | null} */
    this.measuring = null;
  }

  /** @param {string} source */
  of(source) {
    return this.known[source]?.latency_ms ?? 0;
  }

  /** @param {string} source */
  show(source = this.source) {
    this.source = source;
    const found = this.known[source];
    const words = found ? `${Math.round(found.latency_ms)} ms${found.error_ms ? ` ±${Math.max(1, Math.round(found.error_ms))}` : ""}` : "0 ms";
    byId("latency-words").textContent = `${words}`;
    byId("latency-typed").value = `${Math.round(found?.latency_ms ?? 0)}`;
    this.tell(found?.words ?? "not measured yet");
    byId("latency-measure").textContent = this.measuring ? "stop" : found?.late_ms ? "measure again" : "measure";
    this.draw();
  }

  /** @param {string} words */
  tell(words) {
    byId("latency-told").querySelector("span").textContent = words;
  }

  /**
   * @param {string} source
   * @param {any} found
   */
  keep(source, found) {
    this.known = { ...this.known, [source]: found };
    localStorage.setItem(KEPT, JSON.stringify(this.known));
    this.show(source);
  }

  /** @param {number} latency_ms */
  type(latency_ms) {
    if (Number.isFinite(latency_ms)) this.keep(this.source, { latency_ms: Math.max(-100, Math.min(500, latency_ms)), words: "typed" });
  }

  async toggle() {
    if (this.measuring) {
      this.end();
      return;
    }
    const { player } = this.screen.page;
    player.stop();
    await player.ready();
    const { click } = player;
    if (!click) return;
    await Promise.all(["bar", "beat"].map((kind) => player.sound(`clicks/${kind}`)));
    const first = player.context.currentTime + 0.6;
    const clicks = Array.from({ length: CLICKS }, (_, number) => first + number * APART_S);
    clicks.forEach((at, number) => click.sound(number % 4 ? "beat" : "bar", at));
    this.measuring = { clicks, taps: [], source: this.source };
    this.show();
    this.tell("Tap along, with any key or pad");
    this.timer = setInterval(() => this.look(), 50);
  }

  /**
   * A strike while it is measured; whether it was taken.
   * @param {number} ms
   * @param {string} source
   */
  tap(ms, source) {
    if (!this.measuring) return false;
    this.measuring.source = source;
    this.measuring.taps.push(this.screen.clock.heardAt(ms));
    this.tell(`${this.measuring.taps.length} of ${CLICKS}`);
    return true;
  }

  look() {
    const { measuring } = this;
    const { player } = this.screen.page;
    if (!measuring || player.context.currentTime < measuring.clicks[CLICKS - 1] + WAITS_S) return;
    this.end();
    this.ask(measuring);
  }

  end() {
    clearInterval(this.timer);
    this.measuring = null;
    const { player } = this.screen.page;
    for (const voice of [...player.pending]) if (voice.click) voice.node.stop();
    this.show();
  }

  /** @param {{ clicks: number[], taps: number[], source: string }} measured */
  async ask({ clicks, taps, source }) {
    const in_ms = (/** @type {number[]} */ times) => times.map((at) => Math.round((at - clicks[0]) * 1e6) / 1e3);
    const answer = await askJson("/takes/latency", { clicks_ms: in_ms(clicks), taps_ms: in_ms(taps) });
    if (answer.error) {
      showNote(answer.error, { near: byId("latency-measure"), wrong: true });
      return;
    }
    const late_ms = in_ms(taps).map((tap) => Math.min(...in_ms(clicks).map((click) => (Math.abs(tap - click) < 250 ? tap - click : Infinity))));
    this.keep(source, { ...answer, late_ms });
  }

  draw() {
    const shown = this.known[this.source];
    byId("latency-picture").hidden = !shown?.late_ms;
    if (!shown?.late_ms) return;
    const { pen, width, height } = fitted(byId("latency-picture"));
    const c = colours();
    const found = shown;
    const late = (found?.late_ms ?? []).filter(Number.isFinite);
    const middle = found?.latency_ms ?? 0;
    const reach = Math.max(25, ...late.map((/** @type {number} */ ms) => Math.abs(ms - middle))) * 1.1;
    const x = (/** @type {number} */ ms) => ((ms - middle + reach) / (2 * reach)) * width;
    const base = height - 14;
    pen.strokeStyle = c.base;
    pen.beginPath();
    pen.moveTo(0, base + 0.5);
    pen.lineTo(width, base + 0.5);
    pen.stroke();
    pen.font = textFont(400, 12, "Plex");
    pen.fillStyle = c.quiet;
    for (const ms of [middle - reach * 0.8, middle, middle + reach * 0.8]) pen.fillText(`${Math.round(ms)}`, Math.min(x(ms), width - 22), height - 2);
    if (found.spread_ms) {
      pen.fillStyle = c.marked;
      pen.fillRect(x(middle - found.spread_ms), 0, x(middle + found.spread_ms) - x(middle - found.spread_ms), base);
    }
    /** @type {Map<number, number>} */
    const stacked = new Map();
    late.forEach((/** @type {number} */ ms, /** @type {number} */ number) => {
      const column = Math.round(x(ms) / 7);
      const above = stacked.get(column) ?? 0;
      stacked.set(column, above + 1);
      circle(pen, x(ms), base - 4 - above * 7, 2.8);
      pen.fillStyle = c.denim;
      pen.strokeStyle = c.quiet;
      if (found.counts[number]) pen.fill();
      else pen.stroke();
    });
    pen.strokeStyle = c.thread;
    pen.lineWidth = 1.5;
    pen.beginPath();
    pen.moveTo(x(middle), 0);
    pen.lineTo(x(middle), base);
    pen.stroke();
    pen.lineWidth = 1;
  }
}
