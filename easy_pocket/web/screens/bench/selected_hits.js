// SelectedHits hits: which they are, and what can be done to all of them at once. Every deed is one edit.

import { byId } from "../../shared/dom.js";
import { keyOf, placeOf } from "../../shared/rail_data.js";

const HEADING = "easy-pocket hits";
const QUIET_VELOCITY = 50;
const ACCENT_VELOCITY = 108;
const RATCHETS = [2, 3, 4, 6, 8];

export class SelectedHits {
  /** @param {any} rails */
  constructor(rails) {
    this.rails = rails;
    /** @type {Set<any>} */
    this.keys = new Set();
    for (const kind of ["copy", "cut", "paste"]) document.addEventListener(kind, (event) => this.clipboard(event, kind));
  }

  get data() {
    return this.rails.data;
  }

  get hits() {
    return [...this.data.all()].filter((hit) => this.keys.has(keyOf(hit)));
  }

  // What a deed is done to: the chosen hits, or the one under the cursor.
  get targets() {
    if (this.keys.size) return this.hits;
    const { cursor } = this.rails;
    const hit = cursor && this.data.hit(cursor.voice, cursor.tick);
    return hit ? [hit] : [];
  }

  /** @param {import("../../shared/rail_data.js").Hit[]} hits */
  set(hits) {
    this.keys = new Set([...hits].map(keyOf));
    this.rails.chosenChanged();
  }

  clear() {
    if (this.keys.size) this.set([]);
  }

  /** @param {import("../../shared/rail_data.js").Hit} hit */
  toggle(hit) {
    const key = keyOf(hit);
    if (!this.keys.delete(key)) this.keys.add(key);
    this.rails.chosenChanged();
  }

  // Hits that are gone are no longer chosen.
  prune() {
    if (!this.keys.size) return;
    const there = new Set([...this.data.all()].map(keyOf));
    for (const key of this.keys) if (!there.has(key)) this.keys.delete(key);
  }

  // Ways to choose ---------------------------------------------------------------------------------------------------
  /** @param {string} way */
  by(way) {
    const all = [...this.data.all()];
    const { cursor } = this.rails;
    const { bar } = this.data.facts;
    const from = this.keys.size ? this.hits : cursor ? [cursor] : [];
    const voices = new Set(from.map(({ voice }) => voice));
    const places = new Set(from.map(({ tick }) => tick % bar));
    const loudest = Number(byId("quieter-than")?.value || 64);
    /** @type {Record<string, any>} */
    const ways = {
      all: () => all,
      none: () => [],
      row: () => all.filter(({ voice }) => voices.has(voice)),
      place: () => all.filter(({ voice, tick }) => voices.has(voice) && places.has(tick % bar)),
      quieter: () => this.within(all).filter((/** @type {any} */ { velocity }) => velocity < loudest),
      ghosts: () => this.within(all).filter((/** @type {any} */ { velocity }) => velocity <= QUIET_VELOCITY),
      accents: () => this.within(all).filter((/** @type {any} */ { velocity }) => velocity >= ACCENT_VELOCITY),
    };
    this.set(ways[way]());
  }

  /**
   * Rows narrow a search when whole rows are chosen; else all rails are searched.
   * @param {any} all
   */
  within(all) {
    if (this.keys.size < 2) return all;
    const voices = new Set(this.hits.map(({ voice }) => voice));
    return all.filter((/** @type {any} */ { voice }) => voices.has(voice));
  }

  // Deeds ------------------------------------------------------------------------------------------------------------
  /**
   * @param {import("../../shared/shapes").Edit} edit
   * @param {any} [options]
   */
  push(edit, options = {}) {
    this.rails.push(edit, { near: this.rails.box, ...options });
  }

  need() {
    const { targets } = this;
    if (!targets.length) this.rails.say("Nothing is chosen: draw a frame round some hits (e, or Ctrl while drawing), or put the cursor on one.");
    return targets;
  }

  /** @param {any} values */
  articulation(values) {
    const hits = this.need();
    if (hits.length) this.push({ kind: "articulate", places: hits.map(placeOf), values });
  }

  /** @param {string} name */
  ornament(name) {
    const hits = this.need();
    if (!hits.length) return;
    const have = hits.every((hit) => hit.articulation?.ornament === name);
    const step = this.data.step(hits[0].voice);
    if (name === "ratchet") {
      const now = hits[0].articulation?.ornament === "ratchet" ? hits[0].articulation.strokes : 0;
      const next = RATCHETS[RATCHETS.indexOf(now) + 1];
      this.articulation(next ? { ornament: "ratchet", strokes: next, span_ticks: step } : { ornament: "", strokes: 0, span_ticks: 0 });
    } else if (name === "roll") {
      const span = step * 4;
      this.articulation(have ? { ornament: "", strokes: 0, span_ticks: 0 } : { ornament: "roll", strokes: 8, span_ticks: span });
    } else {
      this.articulation({ ornament: have ? "" : name, strokes: 0, span_ticks: 0 });
    }
  }

  /**
   * One of the finer ways to strike, as chosen or typed.
   * @param {string} name
   * @param {any} value
   */
  articulateBy(name, value) {
    const hits = this.need();
    if (!hits.length) return;
    const step = this.data.step(hits[0].voice);
    const number = Number(String(value).replace(",", ".").replace("−", "-"));
    if (name !== "spacing" && !Number.isFinite(number)) {
      this.rails.say(`'${value}' is no number.`);
      return;
    }
    const rolls = hits.filter((hit) => ["ratchet", "roll"].includes(hit.articulation?.ornament));
    if (["spacing", "swell", "span", "strokes"].includes(name) && rolls.length < hits.length) {
      this.rails.say("Only a ratchet or a roll has strokes: press ratchet (r) or roll (Shift R) first.");
      return;
    }
    /** @type {Record<string, any>} */
    const values = {
      spacing: { spacing: value },
      swell: { swell: Math.round(number) },
      span: { span_ticks: Math.max(10, Math.round(number * step)) },
      strokes: { strokes: Math.round(number), ornament: number > 8 ? "roll" : (hits[0].articulation?.ornament ?? "ratchet") },
      grace_ms: { grace_ms: number },
      length: { length_ticks: Math.max(0, Math.round(number * step)) },
      passes: { passes: Math.round(number) },
    };
    this.articulation(values[name]);
  }

  /**
   * A sound of a voice that runs backwards and ends on each chosen hit.
   * @param {string} voice
   * @param {string} slots
   */
  reverseInto(voice, slots) {
    const hits = this.need();
    const count = Number(slots.replace(",", "."));
    if (!hits.length) return;
    if (count > 0) this.push({ kind: "reverse_into", places: hits.map(placeOf), voice: voice || hits[0].voice, length_ticks: Math.round(count * this.data.step(hits[0].voice)) });
    else this.rails.say(`'${slots}' is no number of slots: 4 are a beat of 16ths.`);
  }

  plain() {
    this.articulation({ ornament: "", strokes: 0, span_ticks: 0, spacing: "even", swell: 0, tune_cents: 0, pan: 0, length_ticks: 0, odds_percent: 100, passes: 0, room_percent: 0 });
  }

  /** @param {any} value */
  velocity(value) {
    const hits = this.need();
    if (hits.length) this.push({ kind: "values", field: "velocity", values: hits.map((hit) => [hit.voice, hit.tick, value]) });
  }

  /** @param {any} by_ms */
  nudge(by_ms) {
    const hits = this.need();
    if (!hits.length) return;
    this.push({ kind: "nudge", places: hits.map(placeOf), by_ms });
  }

  lock() {
    const hits = this.need();
    if (hits.length) this.push({ kind: "lock_hits", places: hits.map(placeOf), locked: !hits.every((hit) => hit.articulation?.locked) });
  }

  remove() {
    const hits = this.need();
    if (hits.length) this.push({ kind: "wipe", places: hits.map(placeOf) });
  }

  /**
   * By so many ticks and rails; what would leave the pattern or the rails stays, and says so.
   * @param {number[]} ticks
   * @param {any} rails
   * @param {any} [copies]
   */
  move(ticks, rails, copies = false) {
    const hits = this.need();
    if (!hits.length || (!ticks && !rails)) return;
    const voices = this.rails.voices();
    /** @type {[string, number, string, number][]} */
    const moves = hits.map((hit) => [hit.voice, hit.tick, voices[voices.indexOf(hit.voice) + rails], hit.tick + ticks]);
    if (moves.some(([, , voice]) => !voice)) {
      this.rails.say("There is no rail there: fewer rails up or down.");
      return;
    }
    const picked = this.keys.size > 0;
    this.push({ kind: "move_many", moves, copies });
    this.rails.afterAnswer = () => {
      const there = moves.map(([, , voice, tick]) => this.data.hit(voice, tick)).filter(Boolean);
      for (const hit of there) this.rails.more.reveal(hit.voice);
      if (picked) this.set(there);
      else if (there[0]) this.rails.putCursor(there[0].voice, there[0].tick);
    };
  }

  // The slots the chosen hits take, from the first one's to the end of the last one's.
  span() {
    const hits = this.hits;
    const ticks = hits.map(({ tick }) => tick);
    const step = Math.max(...hits.map(({ voice }) => this.data.step(voice)));
    const start = Math.floor(Math.min(...ticks) / step) * step;
    return { start_tick: start, end_tick: (Math.floor(Math.max(...ticks) / step) + 1) * step, step_ticks: step };
  }

  /** @param {string} how */
  turn(how) {
    const hits = this.need();
    if (!hits.length) return;
    if (!this.keys.size) {
      this.rails.say("Choose some hits to turn round.");
      return;
    }
    this.push({ kind: "turn", places: hits.map(placeOf), how, ...this.span() });
  }

  /** @param {number} factor */
  stretch(factor) {
    const hits = this.need();
    if (hits.length) this.push({ kind: "stretch", places: hits.map(placeOf), factor, start_tick: Math.min(...hits.map(({ tick }) => tick)) });
  }

  /** @param {import("../../shared/rail_data.js").Hit} hit */
  bare(hit) {
    return bare(hit.articulation);
  }

  /**
   * The system's clipboard, as text one can read: voice, tick, velocity, own offset, other sound, what sets it apart.
   * @param {any} event
   * @param {string} kind
   */
  clipboard(event, kind) {
    if (!this.rails.box || document.activeElement !== this.rails.box) return;
    if (kind === "paste") {
      this.paste(event.clipboardData.getData("text/plain"));
      event.preventDefault();
      return;
    }
    const hits = this.targets;
    if (!hits.length) return;
    const lines = hits.map((hit) => [hit.voice, hit.tick, hit.velocity, hit.own, hit.asked, JSON.stringify(bare(hit.articulation))].join(" "));
    event.clipboardData.setData("text/plain", [HEADING, ...lines].join("\n"));
    event.preventDefault();
    if (kind === "cut") this.remove();
    this.rails.say(`${hits.length} hit${hits.length === 1 ? "" : "s"} ${kind === "cut" ? "cut" : "copied"}: paste at the cursor.`);
  }

  /** @param {string} text */
  paste(text) {
    const [heading, ...lines] = text.trim().split("\n");
    /** @type {any} */
    const hits = heading.trim() === HEADING ? lines.map(readLine) : [];
    if (!hits.length || hits.includes(null)) {
      this.rails.say("The clipboard holds no hits: copy some on a Bench first.");
      return;
    }
    const { cursor } = this.rails;
    const tick = cursor ? cursor.tick : Math.max(0, this.rails.look.start);
    this.push({ kind: "paste", hits, tick });
    const first = Math.min(...hits.map((/** @type {any} */ row) => row[1]));
    this.rails.afterAnswer = () => this.set(hits.map((/** @type {any} */ [voice, at]) => this.data.hit(voice, at - first + tick)).filter(Boolean));
  }
}

/** @param {any} articulation */
function bare(articulation) {
  const { words, drawn, ...doc } = articulation ?? {};
  return doc;
}

/** @param {any} line */
function readLine(line) {
  const found = /^([a-z_0-9]+) (\d+) (\d+) (-?[\d.]+) (\d) (\{.*\})$/.exec(line.trim());
  if (!found) return null;
  try {
    return [found[1], Number(found[2]), Number(found[3]), Number(found[4]), Number(found[5]), JSON.parse(found[6])];
  } catch {
    return null;
  }
}
