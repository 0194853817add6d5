// How a part goes round, drawn in the strip of the Song screen.

import { element, text } from "../../shared/dom.js";

/**
 * When the turns of the parts begin, and where all begin at once.
 * @param {import("./song_strip.js").SongStrip} strip
 */
export function cycleGroups(strip) {
  const { cycles, meet, bar, together } = strip.screen.data;
  const end = Math.min(64 * bar, Math.max(4 * bar, (meet[1] ?? meet[0] ?? 0) + bar));
  const rows = cycles.map((/** @type {any} */ [name, shift, ticks]) => {
    const marks = [];
    for (let at = shift; at < end; at += ticks) marks.push(`M${(at / end) * 1000} 0V14`);
    return element("div", "plan-cycle", [text("span", name), picture(strip, marks.join(""), meet.filter((/** @type {number} */ at) => at < end).map((/** @type {number} */ at) => `M${(at / end) * 1000} 0V14`).join(""))]);
  });
  return [strip.group(together, rows, "grow cycles")];
}

/**
 * @param {import("./song_strip.js").SongStrip} strip
 * @param {any} turns
 * @param {any} meetings
 */
export function picture(strip, turns, meetings) {
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("viewBox", "0 0 1000 14");
  svg.setAttribute("preserveAspectRatio", "none");
  for (const [d, name] of [[turns, "turns"], [meetings, "meet"]]) {
    const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
    path.setAttribute("d", d);
    path.setAttribute("class", name);
    svg.append(path);
  }
  return svg;
}

/**
 * The bars it plays, to be drawn: as many as its marks, eight for one that plays them all.
 * @param {import("./song_strip.js").SongStrip} strip
 * @param {any} part
 */
export function cycleMarks(strip, part) {
  const marks = part.bars || "11111111";
  const boxes = [...marks].map((mark, place) => {
    const box = strip.button("", `mark ${place}`, `bar ${place + 1} of ${marks.length}`, "plan-mark");
    box.setAttribute("aria-pressed", mark === "1");
    box.setAttribute("aria-label", `plays in bar ${place + 1} of ${marks.length}`);
    return box;
  });
  return element("div", "plan-field", [text("small", "drawn"), element("span", "plan-marks", boxes)]);
}

/**
 * @param {import("./song_strip.js").SongStrip} strip
 * @param {any} place
 */
export function drawMark(strip, place) {
  const part = strip.screen.part(strip.chosen.part);
  const marks = [...(part.bars || "11111111")];
  marks[place] = marks[place] === "1" ? "0" : "1";
  const drawn = marks.join("");
  strip.screen.push({ kind: "part_set", part_id: part.id, field: "bars", value: drawn.includes("0") ? drawn : "" }, strip.box);
}
