// The hits of the rails as the server sent them, and what is on its way to it: drawn at once, true when answered.

export class RailData {
  constructor() {
    this.facts = null;
    this.rows = new Map();
  }

  take({ whole, facts, hits }) {
    this.facts = facts;
    if (whole) this.rows.clear();
    for (const [voice, columns] of Object.entries(hits)) this.rows.set(voice, new Row(voice, columns));
  }

  // The same hits, made something else of by the feel.
  lean(leans) {
    for (const [voice, columns] of Object.entries(leans)) this.rows.get(voice)?.lean(columns);
  }

  row(voice) {
    return this.rows.get(voice);
  }

  hits(voice) {
    return this.rows.get(voice)?.list ?? [];
  }

  hit(voice, tick) {
    return this.rows.get(voice)?.at(tick) ?? null;
  }

  *all() {
    for (const row of this.rows.values()) yield* row.list;
  }

  step(voice) {
    const { step, steps } = this.facts;
    const own = steps[voice];
    return own === undefined ? step : own || 10; // without a grid a slot is as fine as the eye
  }

  // Draw what an edit will do before the server says so. Only the simple ones; the others wait for its answer.
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

const OWN_NAMES = { velocity: "velocity", offset_ms: "own" };

class Row {
  constructor(voice, columns) {
    this.voice = voice;
    this.list = columns.tick.map((tick, index) => ({
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
    this.places = new Map(this.list.map((hit) => [hit.tick, hit]));
  }

  lean({ played, offset, amounts, accents, silent }) {
    const left = new Set(silent); // by the density; they are written still
    for (const hit of this.list) {
      if (hit.index >= 0) Object.assign(hit, { played: played[hit.index], offset: offset[hit.index], amounts, accents, silent: left.has(hit.index) });
    }
  }

  at(tick) {
    return this.places.get(tick);
  }

  write(tick, velocity) {
    if (this.places.has(tick)) return;
    const hit = { voice: this.voice, tick, velocity, played: velocity, offset: 0, own: 0, asked: 0, articulation: null, amounts: {}, accents: {}, index: -1, waiting: true };
    this.places.set(tick, hit);
    this.list.push(hit);
    this.list.sort((one, other) => one.tick - other.tick);
  }

  remove(tick) {
    if (this.places.delete(tick)) this.list = this.list.filter((hit) => hit.tick !== tick);
  }

  set(tick, name, value) {
    const hit = this.places.get(tick);
    if (!hit || !name) return;
    if (name === "velocity") hit.played += value - hit.velocity;
    if (name === "own") hit.offset += value - hit.own;
    hit[name] = value;
  }
}

// A detail value of a hit, as the strip shows and sets it.
export function valueOf(hit, field) {
  if (field === "velocity") return hit.velocity;
  if (field === "offset_ms") return hit.own;
  if (field === "strokes") return ["ratchet", "roll"].includes(hit.articulation?.ornament) ? hit.articulation.strokes : 1;
  return hit.articulation?.[field] ?? (field === "odds_percent" ? 100 : 0);
}

export const keyOf = (hit) => `${hit.voice} ${hit.tick}`;
export const placeOf = (hit) => [hit.voice, hit.tick];
