// Buttons of the rails that are edits: deeds on the chosen hits, bars.

import { byId } from "../../shared/dom.js";
import { showNote } from "../../shared/notes.js";

/**
 * @param {import("./rails.js").Rails} rails
 * @param {string} name
 * @param {number} by
 */
export function deed(rails, name, by) {
  const { chosen } = rails;
  /** @type {Record<string, any>} */
  const deeds = {
    ghost: () => chosen.velocity(38),
    accent: () => chosen.velocity(116),
    plain: () => chosen.plain(),
    lock: () => chosen.lock(),
    remove: () => chosen.remove(),
    stretch: () => chosen.stretch(by),
    slot: () => chosen.nudge(((rails.data.step(chosen.targets[0]?.voice) * by) / 100) * rails.facts.msPerTick),
    place: () => lockPlace(rails),
    "reverse-into": () => chosen.reverseInto(byId("reverse-voice").value, byId("reverse-slots").value),
  };
  if (deeds[name]) deeds[name]();
  else if (["flam", "drag", "ratchet", "roll"].includes(name)) chosen.ornament(name);
  else chosen.turn(name);
}

/**
 * @param {import("./rails.js").Rails} rails
 */
export function lockPlace(rails) {
  const tick = rails.cursor?.tick ?? rails.chosen.hits[0]?.tick;
  if (tick === undefined) rails.say("Put the cursor on the place first.");
  else rails.push({ kind: "lock_place", tick, locked: !rails.facts.lockedPlaces.includes(tick % rails.facts.bar) }, { near: rails.box });
}

/**
 * @param {import("./rails.js").Rails} rails
 * @param {any} what
 * @param {Piece} near
 */
export function barsEdit(rails, what, near) {
  const { bar, length } = rails.facts;
  const shown = { from: Math.floor(rails.look.start / bar) + 1, count: Math.max(1, Math.round((rails.look.end - rails.look.start) / bar)) };
  const { from, count } = rails.bars ?? (what === "break" || what === "drop" ? {} : shown);
  if (!from) {
    showNote("Choose bars first: draw over the ruler.", { near, wrong: true });
    return;
  }
  if (what === "break" && !keptVoices(rails).length) {
    showNote("Choose first what goes on in the break: solo its rows, or choose hits of them.", { near, wrong: true });
    return;
  }
  const after = Math.min(from + count, Math.ceil(length / bar) + 1);
  /** @type {Record<string, any>} */
  const edits = {
    drop: { kind: "drop_bars", from_bar: from, bars: count },
    add: { kind: "add_bars", from_bar: after, bars: 1 },
    copy: { kind: "add_bars", from_bar: after, bars: count, copies: true },
    break: { kind: "break", from_bar: from, bars: count, keep: keptVoices(rails) },
  };
  rails.push(edits[what], { near });
  if (what === "drop") rails.chooseBars(null);
}

/**
 * In a break the soloed rows go on, and those of the chosen hits.
 * @param {import("./rails.js").Rails} rails
 */
export function keptVoices(rails) {
  const soloed = [...document.querySelectorAll('.rail-row:has([data-mix="solo"][aria-pressed="true"])')].map((row) => row.dataset.voice);
  return [...new Set([...soloed, ...rails.chosen.hits.map(({ voice }) => voice)])];
}

/**
 * The same hits lean otherwise; nothing around the rails changes.
 * @param {import("./rails.js").Rails} rails
 * @param {any} leans
 */
export function lean(rails, leans) {
  rails.data.lean(leans);
  rails.leans = true;
  rails.later(rails.voices());
}
