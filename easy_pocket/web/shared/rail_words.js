// Places and offsets in words: the ledger line and what a screen reader says.

/** @type {Record<string, any>} */
const SPOKEN = { 0.25: "e", 0.5: "&", 0.75: "a" };

/**
 * The counting syllable of a place inside a beat, or its share of the beat when it has none.
 * @param {any} rest
 * @param {any} beat
 */
export function syllable(rest, beat) {
  const share = rest / beat;
  if (SPOKEN[share]) return SPOKEN[share];
  const thirds = Math.round(share * 3);
  if (Math.abs(share * 3 - thirds) < 1e-9) return ["", "trip", "let"][thirds];
  return `+${share.toFixed(3).replace(/0+$/, "")}`;
}

/**
 * @param {number} tick
 * @param {any} options
 */
export function placeName(tick, { bar, beat }) {
  const inside = tick % bar;
  const rest = inside % beat;
  const name = `${Math.floor(tick / bar) + 1}.${Math.floor(inside / beat) + 1}`;
  return rest ? `${name} ${syllable(rest, beat)}` : name;
}

/**
 * @param {any} value
 * @param {any} [digits]
 */
export function signed(value, digits = 1) {
  const text = Math.abs(value).toFixed(digits);
  if (Number(text) === 0) return "0";
  return `${value > 0 ? "+" : "−"}${text}`;
}

/** @param {number} ms */
export function offsetWords(ms) {
  if (Math.abs(ms) < 0.05) return "on the grid";
  return `${Math.abs(ms).toFixed(1)} ms ${ms > 0 ? "late" : "early"}`;
}

const ALWAYS = ["swing", "groove", "part push", "push", "own"];

/**
 * The sum that explains a hit; parts are set off by "|" for the bottom line to style.
 * `by`: how far tightening would move it, in ms.
 * @param {import("./rail_data.js").Hit} hit
 * @param {import("./shapes").RailFacts} facts
 * @param {number} [by]
 */
export function ledgerText(hit, facts, by = undefined) {
  const amount = (/** @type {any} */ stage) => hit.amounts[stage]?.[hit.index] ?? 0;
  const stages = [...ALWAYS, ...Object.keys(hit.amounts).filter((stage) => !ALWAYS.includes(stage) && Math.abs(amount(stage)) > 0.05)];
  const sum = stages.map((stage) => `${stage} ${signed(amount(stage))}`).join("  ");
  const louder = Object.entries(hit.accents).filter(([, row]) => row[hit.index]).map(([stage, row]) => `  ${stage} ${signed(row[hit.index], 0)}`).join("");
  const to = by === undefined ? "" : `, tighten ${signed(by)}: ${offsetWords(hit.offset + by)}`;
  const more = [hit.silent ? "left out by the density" : "", hit.asked ? `sound ${hit.asked + 1}` : "", hit.articulation?.words ?? ""].filter(Boolean).join(", ");
  return `${facts.names[hit.voice]} · ${placeName(hit.tick, facts)}|${sum}|= ${offsetWords(hit.offset)}${to}|velocity ${hit.velocity}${louder}  = ${hit.played}${more ? ` · ${more}` : ""}`;
}

/**
 * @param {import("./rail_data.js").Hit} hit
 * @param {import("./shapes").RailFacts} facts
 */
export function spokenHit(hit, facts) {
  const articulation = `${hit.articulation?.words ? `, ${hit.articulation.words}` : ""}${hit.silent ? ", left out by the density" : ""}`;
  return `${facts.names[hit.voice]}, ${placeName(hit.tick, facts)}, velocity ${hit.played}, ${offsetWords(hit.offset)}${articulation}`;
}
