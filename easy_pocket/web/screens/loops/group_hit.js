// The hit chosen on the waveform: the groups it is in, and those it could be in.

import { byId, element, text } from "../../shared/dom.js";

/**
 * @param {number} time_s
 * @returns {(group: any) => boolean}
 */
const holds = (time_s) => (group) => group.times.some((/** @type {number} */ one) => Math.abs(one - time_s) < 1e-4);

/** @returns {number | null} */
function chosen_s() {
  const onset = document.querySelector(".onset.chosen");
  return onset ? Number(onset.dataset.time) : null;
}

/** @param {any[]} groups */
export function showHit(groups) {
  const place = byId("group-hit");
  const time_s = chosen_s();
  if (!place) return;
  if (time_s === null || !groups.length) {
    place.textContent = "Choose a hit on the waveform to move it to another group.";
    return;
  }
  const inside = holds(time_s);
  const chips = groups.map((group, number) => {
    const chip = text("button", group.name, inside(group) ? "chip on" : "chip");
    chip.type = "button";
    chip.dataset.groupTake = String(number);
    return chip;
  });
  const both = Object.assign(document.createElement("input"), { type: "checkbox", id: "group-both", checked: isBoth() });
  place.replaceChildren(`The hit at ${time_s.toFixed(3)} s is `, ...chips, element("label", "check", [both, " two sounds at once"]));
}

const isBoth = () => Boolean(byId("group-both")?.checked);

/**
 * A hit in this group leaves it; one in another comes here, or is both.
 * @param {any} loops
 * @param {any[]} groups
 * @param {number} number
 * @param {Piece} near
 */
export function takeHit(loops, groups, number, near) {
  const time_s = chosen_s();
  if (time_s === null) return;
  const inside = holds(time_s);
  const from = groups.findIndex(inside);
  const change = { kind: "group_move", time_s };
  if (inside(groups[number])) loops.correct({ ...change, group: number, to: null }, { near });
  else if (from >= 0) loops.correct({ ...change, group: from, to: number, stays: isBoth() }, { near });
}
