// The hits of the rails as the server sent them, and what is on its way to it: drawn at once, true when answered.

/**
 * A hit as it is drawn. own: its own offset in ms. asked: another sound of its voice, 0 for its own. index: its row in
 * what the server said, -1 while it is only foreseen. amounts, accents: what moves it, by stage, for all hits of the voice.
 * @typedef {object} Hit
 * @property {string} voice
 * @property {number} tick
 * @property {number} velocity
 * @property {number} played
 * @property {number} offset
 * @property {number} own
 * @property {number} asked
 * @property {import("./shapes").Articulated | null} articulation
 * @property {Record<string, number[]>} amounts
 * @property {Record<string, number[]>} accents
 * @property {number} index
 * @property {boolean} waiting
 * @property {boolean} [silent]
 */

export class RailData {
  constructor() {
    /** @type {import("./shapes").WholeRailFacts} */
    this.facts = /** @type {any} */ (null); // until the first answer
    /** @type {Map<string, Row>} */
    /** @type {Map<any, any>} */
    this.rows = new Map();
  }

  /** @param {any} options */
  take({ whole, facts, hits }) {
    this.facts = facts;
    if (whole) this.rows.clear();
    for (const [voice, columns] of Object.entries(hits)) this.rows.set(voice, new Row(voice, columns));
  }

  /**
   * The same hits, made something else of by the feel.
   * @param {any} leans
   */
  lean(leans) {
    for (const [voice, columns] of Object.entries(leans)) this.rows.get(voice)?.lean(columns);
  }

  /** @param {string} voice */
  row(voice) {
    return this.rows.get(voice);
  }

  /** @param {string | undefined} voice */
  hits(voice) {
    return this.rows.get(voice)?.list ?? [];
  }

  /**
   * @param {string | undefined} voice
   * @param {number} tick
   */
  hit(voice, tick) {
    return this.rows.get(voice)?.at(tick) ?? null;
  }

  *all() {
    for (const row of this.rows.values()) yield* row.list;
  }

  /** @param {string} voice */
  step(voice) {
    const { step, steps } = this.facts;
    const own = steps[voice];
    return own === undefined ? step : own || 10; // without a grid a slot is as fine as the eye
  }

  /**
   * Draw what an edit will do before the server says so. Only the simple ones; the others wait for its answer.
   * @param {any} edit
   */
  foresee(edit) {
    const row = this.rows.get(edit.voice);
    switch (edit.kind) {
      case "write": row?.write(edit.tick, edit.velocity); break;
      case "remove": row?.remove(edit.tick); break;
      case "paint": for (const tick of edit.ticks) row?.write(tick, edit.velocity); break;
      case "wipe": for (const [voice, tick] of edit.places) this.rows.get(voice)?.remove(tick); break;
      case "velocity": row?.set(edit.tick, "velocity", edit.velocity); break;
      case "offset": row?.set(edit.tick, "own", edit.offset_ms); break;
      case "values": for (const [voice, tick, value] of edit.values) this.rows.get(voice)?.set(tick, OWN_NAMES[edit.field], value); break;
    }
  }
}

/** @type {Record<string, any>} */
const OWN_NAMES = { velocity: "velocity", offset_ms: "own" };

class Row {
  /**
   * @param {string} voice
   * @param {any} columns
   */
  constructor(voice, columns) {
    this.voice = voice;
    this.list = columns.tick.map((/** @type {number} */ tick, /** @type {number} */ index) => ({
      voice,
      tick,
      velocity: columns.velocity[index],
      own: columns.own[index],
      asked: columns.asked?.[index] ?? 0,
      articulation: columns.articulated?.[index] ?? null,
      index,
      waiting: false,
    }));
    this.lean(columns);
    this.places = new Map(this.list.map((/** @type {import("./rail_data.js").Hit} */ hit) => [hit.tick, hit]));
  }

  /** @param {any} options */
  lean({ played, offset, amounts, accents, silent }) {
    const left = new Set(silent); // by the density; they are written still
    for (const hit of this.list) {
      if (hit.index >= 0) Object.assign(hit, { played: played[hit.index], offset: offset[hit.index], amounts, accents, silent: left.has(hit.index) });
    }
  }

  /** @param {number} tick */
  at(tick) {
    return this.places.get(tick);
  }

  /**
   * @param {number} tick
   * @param {number} velocity
   */
  write(tick, velocity) {
    if (this.places.has(tick)) return;
    const hit = { voice: this.voice, tick, velocity, played: velocity, offset: 0, own: 0, asked: 0, articulation: null, amounts: {}, accents: {}, index: -1, waiting: true };
    this.places.set(tick, hit);
    this.list.push(hit);
    this.list.sort((/** @type {any} */ one, /** @type {any} */ other) => one.tick - other.tick);
  }

  /** @param {number} tick */
  remove(tick) {
    if (this.places.delete(tick)) this.list = this.list.filter((/** @type {import("./rail_data.js").Hit} */ hit) => hit.tick !== tick);
  }

  /**
   * @param {number} tick
   * @param {string} name
   * @param {any} value
   */
  set(tick, name, value) {
    const hit = this.places.get(tick);
    if (!hit || !name) return;
    if (name === "velocity") hit.played += value - hit.velocity;
    if (name === "own") hit.offset += value - hit.own;
    hit[name] = value;
  }
}

/**
 * A detail value of a hit, as the strip shows and sets it.
 * @param {import("./rail_data.js").Hit} hit
 * @param {string} field
 */
export function valueOf(hit, field) {
  if (field === "velocity") return hit.velocity;
  if (field === "offset_ms") return hit.own;
  /** @type {Record<string, any>} */
  const apart = hit.articulation ?? {};
  if (field === "strokes") return ["ratchet", "roll"].includes(apart.ornament) ? apart.strokes : 1;
  return apart[field] ?? (field === "odds_percent" ? 100 : 0);
}

/** @param {Pick<Hit, "voice" | "tick">} hit */
export const keyOf = (hit) => `${hit.voice} ${hit.tick}`;
/**
 * @param {Pick<Hit, "voice" | "tick">} hit
 * @returns {[string, number]}
 */
export const placeOf = (hit) => [hit.voice, hit.tick];
