// What is set in the strip of the Song screen, as edits.

/**
 * @param {import("./song_strip.js").SongStrip} strip
 * @param {Piece} target
 * @param {any} [gesture]
 */
export function setValue(strip, target, gesture = null) {
  const [what, name, detail] = target.dataset.set.split(" ");
  const { section, part } = strip.chosen;
  const value = target.type === "checkbox" ? target.checked : target.value.trim();
  const number = value === "" ? null : Number(String(value).replace(",", "."));
  const push = (/** @type {any} */ edit) => strip.screen.push(edit, target, gesture);
  if (what === "cell" && name === undefined) push({ kind: "cell_set", section_ids: [section], part_id: part, pattern: value === "" ? null : Number(value) });
  else if (what === "cell") push({ kind: "cell_level", section_id: section, part_id: part, value: number });
  else if (what === "feel") push({ kind: "cell_feel", section_id: section, part_id: part, field: name, value: Number.isNaN(number) ? value : number });
  else if (what === "section") push({ kind: "section_set", section_id: section, field: name, value: sectionValue(strip, name, value, number) });
  else if (what === "join") setJoin(strip, Number(name), detail, target, value, number);
  else if (what === "part" && name === "merge") value && push({ kind: "part_merge", part_id: part, other_id: Number(value) });
  else if (what === "pattern") value && push({ kind: "pattern_take", part_id: part, pattern_id: Number(value) });
  else if (what === "part") push({ kind: "part_set", part_id: part, field: name, value: partValue(strip, name, value, number) });
  else if (what === "double") {
    const one = strip.screen.data.collisions[Number(name)];
    push({ kind: "collision", part_id: one.part, other_id: one.other, voice: one.voice, choice: value });
  } else if (what === "new") strip.newBeats = number;
}

/**
 * @param {import("./song_strip.js").SongStrip} strip
 * @param {string} name
 * @param {any} value
 * @param {number | null} number
 */
export function sectionValue(strip, name, value, number) {
  if (name === "tempo_bpm") return number;
  if (name === "bars" || name === "repeats") return Number.isInteger(number) ? number : value || null;
  return value === "" && name === "metre" ? null : value;
}

/**
 * @param {import("./song_strip.js").SongStrip} strip
 * @param {string} name
 * @param {any} value
 * @param {number | null} number
 */
export function partValue(strip, name, value, number) {
  if (name === "restarts") return value === "true";
  if (["level_db", "change_percent", "seed", "step_ticks"].includes(name)) return number;
  return value;
}

/**
 * @param {import("./song_strip.js").SongStrip} strip
 * @param {number} number
 * @param {string} name
 * @param {Piece} target
 * @param {any} value
 * @param {any} figure
 */
export function setJoin(strip, number, name, target, value, figure) {
  const section = strip.screen.section(strip.chosen.section);
  const joins = section.joins.map((/** @type {any} */ join) => ({ ...join }));
  const join = joins[number];
  if (name === "keep") {
    const id = Number(target.dataset.set.split(" ")[3]);
    join.keep = (join.keep ?? []).filter((/** @type {any} */ one) => one !== id).concat(value ? [id] : []);
  } else if (name === "voice") join.voice = value;
  else if (name === "last_only") join.last_only = value;
  else join[name] = figure;
  if (name === "part" && join.pattern) join.pattern = strip.screen.part(join.part).patterns[0][0];
  strip.screen.push({ kind: "joins_set", section_id: section.id, joins }, target);
}
