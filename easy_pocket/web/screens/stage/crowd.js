// Crowding: who fills which pitches over the music, and the pairs that stand in each other's way; a proposal is tried by
// holding and put in by one press.

import { byId } from "../../shared/dom.js";
import { planWith } from "../../shared/stage_graph.js";
import { colours, fitted, textFont } from "../../shared/canvas.js";

const LOWEST_DB = -72;
const LABELS = [31.5, 63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000];

export class Crowd {
  /** @param {import("./stage.js").default} stage */
  constructor(stage) {
    this.stage = stage;
    stage.on("tab", () => this.draw());
    stage.on("pointerdown", (event) => this.hold(event.target.closest?.("[data-crowd-try]")));
    for (const name of ["pointerup", "pointercancel"]) stage.on(name, () => this.end());
    stage.on("keydown", (event) => event.key === " " && event.target.dataset?.crowdTry && this.hold(event.target));
    stage.on("keyup", () => this.end());
    stage.on("click", (event) => this.put(event.target.closest?.("[data-crowd-put]")));
  }

  /** @returns {import("../../shared/shapes").CrowdingData | undefined} */
  get data() {
    return this.stage.whole.measured?.crowding;
  }

  show() {
    const { data } = this;
    const list = byId("crowd-pairs");
    if (!data || !list) return;
    const pairs = data.pairs.map((pair, at) => {
      const line = document.createElement("li");
      const text = (/** @type {string} */ tag, /** @type {string} */ words) => Object.assign(document.createElement(tag), { textContent: words });
      const deeds = Object.assign(document.createElement("div"), { className: "deeds" });
      deeds.append(text("span", pair.proposal));
      if (pair.unit || pair.pan !== null || pair.later_ms) deeds.append(this.button("try", at, "hold to hear it so"), this.button("put in", at, pair.unit ? "into the chain" : "as it was tried"));
      line.append(text("i", `${at + 1}`), text("b", pair.title), text("span", pair.words), deeds);
      return line;
    });
    list.replaceChildren(...(pairs.length ? pairs : [Object.assign(document.createElement("li"), { textContent: "Nobody stands in another's way." })]));
    this.draw();
  }

  /**
   * @param {string} words
   * @param {number} at
   * @param {string} title
   */
  button(words, at, title) {
    const button = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: words, title });
    button.dataset[words === "try" ? "crowdTry" : "crowdPut"] = `${at}`;
    return button;
  }

  /** @param {Piece | null} button */
  hold(button) {
    const pair = button && this.data?.pairs[Number(button.dataset.crowdTry)];
    const { player } = this.stage.page;
    const { plan: unit, where } = pair ?? {};
    if (unit && where) player.setTrial((plan) => planWith(plan, { where, unit }));
    else if (pair) player.setMoved({ where: pair.where, pan: pair.pan, later_s: pair.later_ms / 1000 });
    this.held = Boolean(pair);
  }

  end() {
    if (!this.held) return;
    this.held = false;
    this.stage.page.player.setTrial(null);
    this.stage.page.player.setMoved(null);
  }

  /** @param {Piece | null} button */
  put(button) {
    const pair = button && this.data?.pairs[Number(button.dataset.crowdPut)];
    if (!pair?.where) return;
    const [, part, voice] = pair.where.split(":");
    /** @type {any} */
    const edit = pair.unit
      ? { kind: "stage_add", where: pair.where, unit: pair.unit }
      : pair.pan !== null
        ? { kind: "mix", part_id: Number(part), voice, field: "pan", value: pair.pan }
        : { kind: "stage_later", where: pair.where, later_ms: pair.later_ms };
    this.stage.push(edit, button);
    this.stage.choose(pair.where);
  }

  draw() {
    const canvas = byId("crowd-picture");
    const { data } = this;
    if (!canvas?.clientWidth || !data) return;
    const { pen, width, height } = fitted(canvas);
    const ink = colours();
    const places = [...document.querySelectorAll(".level-name")].map((one) => one.dataset.where).filter((where) => data.levels[where]);
    const low = Math.log(data.hz[0]);
    const across = (/** @type {number} */ hz) => 4 + ((Math.log(hz) - low) / (Math.log(/** @type {number} */ (data.hz.at(-1))) - low)) * (width - 8);
    const row = (height - 16) / Math.max(places.length, 1);
    const middle = (/** @type {string} */ where) => row * (places.indexOf(where) + 0.5);
    data.pairs.forEach((pair, at) => {
      pen.fillStyle = ink.late;
      pen.globalAlpha = 0.16;
      pen.fillRect(across(pair.low_hz) - 3, 0, across(pair.high_hz) - across(pair.low_hz) + 6, height - 16);
      pen.globalAlpha = 1;
      pen.font = textFont(500, 12, "Plex");
      pen.fillText(`${at + 1}`, across(pair.low_hz), 10);
    });
    for (const where of places) {
      const half = data.levels[where].map((db) => (Math.max(0, db - LOWEST_DB) / -LOWEST_DB) * row * 0.75);
      pen.fillStyle = where === this.stage.place ? ink.thread : ink.wave;
      pen.beginPath();
      half.forEach((size, at) => pen.lineTo(across(data.hz[at]), middle(where) - size / 2));
      for (let at = half.length - 1; at >= 0; at -= 1) pen.lineTo(across(data.hz[at]), middle(where) + half[at] / 2);
      pen.fill();
    }
    pen.fillStyle = ink.late;
    for (const pair of data.pairs) for (const where of [pair.hidden, pair.by]) pen.fillRect(across(pair.low_hz) - 2, middle(where) - 2, across(pair.high_hz) - across(pair.low_hz) + 4, 4);
    pen.fillStyle = ink.quiet;
    pen.textAlign = "center";
    for (const hz of LABELS) pen.fillText(hz < 1000 ? `${Math.round(hz)}` : `${hz / 1000} k`, Math.max(14, Math.min(width - 14, across(hz))), height - 3);
    pen.textAlign = "start";
  }
}
