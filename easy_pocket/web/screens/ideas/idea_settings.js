// What is asked of ideas: one object of settings for each kind; null leaves a setting open. The panel shows and sets it.

import { paintAll } from "../../shared/sliders.js";

const LEARNED = "easy-pocket-ideas-learned";
const OPEN = {
  fill: { beats: null, density: null, loudness: null, offbeat: null, subdivision: null, path: null, ending: null, keep: null, playable: true, learned: true },
  variation: { from_bar: 1, bars: null, changes: null, distance: null, kinds: null, playable: true, learned: true },
  grow: { bars: 8, changes: 2, plan: "phrase", bigger: true, fill: true, kinds: null, again: {} },
  roll: { voice: "snare", beats: null, rates: null, velocity: [58, 116], tune_cents: [0, 0], gap: 0, lands: true },
  build: { stages: 4, from_percent: 60, bars: 0, order: [] },
  borrow: { voice: "kick", to_voice: "kick", on_grid: true },
};
// Where a slider stands while its setting is open.
/** @type {Record<string, any>} */
const RESTING = { density: [4, 6], loudness: [70, 118], offbeat: 0.35, changes: 3, distance: 0.2 };
/** @type {Record<string, any>} */
const MAY_BE_OPEN = { fill: ["density", "loudness", "offbeat", "subdivision", "path", "ending", "keep"], variation: ["changes", "distance", "kinds"], grow: ["kinds"], roll: ["rates"], build: [], borrow: [] };

export class IdeaSettings extends EventTarget {
  /** @type {any} */
  panel;
  constructor() {
    super();
    this.kind = "fill";
    /** @type {Record<string, any>} */
    this.values = structuredClone(OPEN);
    this.seed = 1;
    for (const kind of ["fill", "variation"]) this.values[kind].learned = localStorage.getItem(LEARNED) !== "off";
  }

  get now() {
    return this.values[this.kind];
  }

  /**
   * The beats of a bar and what is in the pattern, as the screen came with them.
   * @param {any} data
   */
  arrive(data) {
    this.data = data;
    this.panel = document.querySelector('[data-panel="ask"]');
    const { goes_on } = data;
    const names = Object.fromEntries([...this.panel.querySelectorAll('[data-for="roll"] option')].map((one) => [one.value, one.textContent.toLowerCase()]));
    this.panel.querySelector("#keep-list").replaceChildren(...goes_on.map((/** @type {string} */ voice) => keepLine(voice, names[voice] ?? voice)), lockedLine());
    this.show();
  }

  listen() {
    document.addEventListener("input", ({ target }) => this.panel?.contains(target) && this.input(target));
    document.addEventListener("change", ({ target }) => this.panel?.contains(target) && this.change(target));
    document.addEventListener("click", ({ target }) => {
      const button = target.closest?.("button");
      if (button && this.panel?.contains(button)) this.click(button);
    });
  }

  /**
   * @param {string} name
   * @param {any} value
   */
  set(name, value) {
    this.now[name] = value;
    if (this.kind === "grow" && name !== "again") this.now.again = {};
    this.show();
    this.dispatchEvent(new Event("change"));
  }

  /** @param {Piece} target */
  input(target) {
    const value = Number(target.value);
    const { pair, one, end } = target.dataset;
    if (pair) {
      const both = [...(this.now[pair] ?? this.ends(pair))];
      both[Number(end)] = value;
      this.set(pair, both);
    } else if (one) {
      this.set(one, value);
    }
  }

  /**
   * Whether what was kept and dropped counts: one switch for all kinds.
   * @param {boolean} on
   */
  learn(on) {
    localStorage.setItem(LEARNED, on ? "on" : "off");
    for (const kind of ["fill", "variation"]) this.values[kind].learned = on;
    this.set("learned", on);
  }

  /** @param {string} name */
  ends(name) {
    return [...this.panel.querySelectorAll(`[data-for~="${this.kind}"] [data-pair="${name}"]`)].map((input) => Number(input.value));
  }

  /** @param {Piece} target */
  change(target) {
    const { check, number, select, kindOf, keep } = target.dataset;
    if (check === "learned") this.learn(target.checked);
    else if (check) this.set(check, target.checked);
    else if (select) this.set(select, target.value);
    else if (number) {
      const value = Math.round(Number(target.value));
      this.set(number, target.value.trim() === "" || !(value >= 1) ? (number === "bars" ? null : 1) : value);
    } else if (kindOf) {
      const chosen = [...this.panel.querySelectorAll(`[data-kind-of="${kindOf}"]:checked`)].map((box) => box.value);
      this.set("kinds", chosen.length ? chosen : null);
    } else if (keep) {
      this.set("keep", [...this.panel.querySelectorAll("[data-keep]:checked")].map((box) => box.dataset.keep));
    } else if (target.id === "idea-seed") {
      this.seed = Math.max(0, Math.min(999999999, Math.round(Number(target.value)) || 0));
      this.show();
      this.dispatchEvent(new Event("change"));
    }
  }

  /** @param {Piece} button */
  click(button) {
    const { opt, value, open, order, seed } = button.dataset;
    if (opt) this.set(opt, this.parsed(opt, value));
    else if (open) this.set(open, null);
    else if (order) this.move(button.closest("li"), Number(order));
    else if (seed !== undefined) {
      this.seed = 1 + Math.floor(Math.random() * 99999);
      this.show();
      this.dispatchEvent(new Event("change"));
    }
  }

  /**
   * A choice that is chosen already is left open again, where it may be.
   * @param {string} name
   * @param {any} value
   */
  parsed(name, value) {
    const parsed = ["subdivision", "path", "ending", "plan"].includes(name) || /^bar/.test(value) ? value : Number(value);
    return this.now[name] === parsed && MAY_BE_OPEN[this.kind].includes(name) ? null : parsed;
  }

  /**
   * @param {any} line
   * @param {number} by
   */
  move(line, by) {
    const lines = [...line.parentElement.children];
    const at = lines.indexOf(line);
    const to = at + by;
    if (to < 0 || to >= lines.length) return;
    lines[to][by < 0 ? "before" : "after"](line);
    line.querySelector(`[data-order="${by}"]`).focus();
    this.set("order", [...line.parentElement.children].map((one) => one.dataset.voice));
  }

  // Beats of a fill or roll, as a number.
  get beats() {
    const { beats, usual_beats, length, pulse } = this.data;
    const chosen = this.now.beats ?? usual_beats;
    const wanted = /** @type {Record<string, any>} */ ({ bar: beats, bars: 2 * beats })[chosen] ?? chosen;
    return Math.min(wanted, Math.max(1, Math.floor(length / pulse)));
  }

  show() {
    if (!this.panel) return;
    for (const box of this.panel.querySelectorAll("[data-for]")) box.hidden = !box.dataset.for.split(" ").includes(this.kind);
    const box = this.panel.querySelector(`[data-for="${this.kind}"]`);
    for (const [name, value] of Object.entries(this.now)) {
      const open = value === null || value === undefined;
      const shown = box.querySelector(`[data-shown="${name}"]`);
      if (shown) shown.textContent = this.words(name, value);
      const button = box.querySelector(`[data-open="${name}"]`);
      if (button) button.hidden = open;
      for (const input of box.querySelectorAll(`[data-pair="${name}"]`)) {
        input.value = (value ?? RESTING[name])[Number(input.dataset.end)];
        input.classList.toggle("open", open);
      }
      for (const input of box.querySelectorAll(`[data-one="${name}"]`)) {
        input.value = value ?? RESTING[name];
        input.classList.toggle("open", open);
      }
      for (const input of this.panel.querySelectorAll(`[data-for~="${this.kind}"] [data-check="${name}"]`)) input.checked = value;
      for (const input of box.querySelectorAll(`[data-select="${name}"], [data-number="${name}"]`)) input.value = value ?? "";
      for (const choice of box.querySelectorAll(`[data-opt="${name}"]`)) {
        const on = String(name === "beats" ? (value ?? this.beats) : value) === choice.dataset.value;
        choice.classList.toggle("on", on);
        choice.setAttribute("aria-pressed", on);
      }
    }
    for (const line of box.querySelectorAll("[data-plan]")) line.hidden = line.dataset.plan !== this.now.plan;
    for (const input of box.querySelectorAll("[data-kind-of]")) input.checked = Boolean(this.now.kinds?.includes(input.value));
    if (this.kind === "fill") for (const input of box.querySelectorAll("[data-keep]")) input.checked = Boolean(this.now.keep?.includes(input.dataset.keep));
    const seed = this.panel.querySelector("#idea-seed");
    if (document.activeElement !== seed) seed.value = String(this.seed);
    paintAll(box);
  }

  /**
   * @param {string} name
   * @param {any} value
   */
  words(name, value) {
    if (name === "beats") return `${this.beats} beat${this.beats > 1 ? "s" : ""}`;
    if (name === "from_bar") return `${value}${this.now.bars ? ` to ${value + this.now.bars - 1}` : " on"}`;
    if (name === "bars") return this.kind === "build" ? (value ? `${value}` : "as many as it has") : `${value} bars`;
    if (name === "rates") return value ? "drawn" : "built-in figures";
    if (value === null || value === undefined) return "auto";
    if (name === "density") return `${value[0]} → ${value[1]} a beat`;
    if (name === "loudness" || name === "velocity") return `${value[0]} → ${value[1]}`;
    if (name === "tune_cents") return value[0] || value[1] ? `${value.map((/** @type {any} */ cents) => (cents / 100).toFixed(1).replace("-", "−")).join(" → ")} st` : "as it is";
    if (name === "offbeat") return value < 0.15 ? "on it" : value < 0.45 ? "some" : value < 0.75 ? "much" : "nearly all";
    if (name === "distance") return value.toFixed(2);
    if (name === "from_percent") return `${value} %`;
    if (name === "gap") return value ? `every ${value}.` : "none";
    if (name === "kinds") return `${value.length} of them`;
    if (name === "keep") return value.length ? `${value.length}` : "nothing";
    if (name === "changes" && this.kind === "grow") return `${value} hit${value > 1 ? "s" : ""}`;
    if (["subdivision", "path", "ending"].includes(name)) return "";
    return `${value}`;
  }

  /**
   * The body of a request; `end` is the tick a window ends on.
   * @param {number} end
   * @param {any} batch
   * @param {any} seen
   */
  body(end, batch, seen) {
    const { now, seed, beats } = this;
    const { pulse } = this.data;
    switch (this.kind) {
      case "fill": return { kind: "fill", ...now, beats, end_tick: end, seed, batch, seen };
      case "variation": return { kind: "variation", ...now, kinds: now.kinds ?? [], seed, batch, seen };
      case "grow": {
        const { fill, kinds, ...rest } = now;
        return { kind: "grow", ...rest, kinds: kinds ?? [], fill_beats: fill ? this.data.usual_beats : 0, seed };
      }
      case "roll": {
        const { beats: _, rates, ...rest } = now;
        return { kind: "roll", ...rest, rates: rates ?? [], begin: end - beats * pulse, end, batch };
      }
      case "build": {
        const there = new Set([...this.panel.querySelectorAll("#build-order li")].map((line) => line.dataset.voice));
        return { kind: "build", ...now, order: now.order.filter((/** @type {string} */ voice) => there.has(voice)) };
      }
      default: return { kind: "borrow", ...now, batch };
    }
  }
}

/**
 * @param {string} voice
 * @param {string} name
 */
function keepLine(voice, name) {
  const label = Object.assign(document.createElement("label"), { className: "check" });
  const box = Object.assign(document.createElement("input"), { type: "checkbox" });
  box.dataset.keep = voice;
  label.append(box, ` ${name}`);
  return label;
}

function lockedLine() {
  const label = Object.assign(document.createElement("label"), { className: "check" });
  label.append(Object.assign(document.createElement("input"), { type: "checkbox", checked: true, disabled: true }), " locked hits, always");
  return label;
}
