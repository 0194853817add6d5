// The bar of what can be done to the chosen hits: beside them, while they are in sight.

import { byId } from "../../shared/dom.js";
import { xOf } from "../../shared/rail_geometry.js";

const APART_PX = 7;

/** @param {import("./rails.js").Rails} rails */
export function placeHitsBar(rails) {
  const bar = byId("choosing");
  if (!bar) return;
  const around = rails.drag ? null : chosenBox(rails);
  bar.hidden = !around;
  if (!around) return;
  const inside = rails.box.getBoundingClientRect();
  const home = bar.offsetParent?.getBoundingClientRect() ?? inside;
  const { offsetWidth: width, offsetHeight: height } = bar;
  const least = (document.querySelector("canvas.rail") ?? rails.box).getBoundingClientRect().left + 4;
  const left = Math.max(Math.max(inside.left + 4, Math.min(least, inside.right - width - 4)), Math.min((around.left + around.right - width) / 2, inside.right - width - 4));
  const above = around.top - height - APART_PX;
  const below = around.bottom + APART_PX;
  const top = above >= inside.top ? above : below + height <= inside.bottom ? below : inside.top + 2;
  Object.assign(bar.style, { left: `${Math.round(left - home.left)}px`, top: `${Math.round(top - home.top)}px` });
}

/**
 * Voices a sound that runs backwards into a hit can have: that of the hit, or another rail's.
 * @param {import("./rails.js").Rails} rails
 */
export function listReverseVoices(rails) {
  const list = byId("reverse-voice");
  if (!list) return;
  const voices = rails.voices();
  if ([...list.options].slice(1).map((one) => one.value).join() === voices.join()) return;
  const before = list.value;
  list.replaceChildren(new Option("the same voice", ""), ...voices.map((key) => new Option(rails.nameOf(key), key)));
  list.value = voices.includes(before) ? before : "";
}

/**
 * The box round the chosen hits that are in sight, on the page.
 * @param {import("./rails.js").Rails} rails
 */
function chosenBox(rails) {
  if (!rails.chosen.keys.size || !rails.box) return null;
  const inside = rails.box.getBoundingClientRect();
  const { look } = rails;
  let found = null;
  for (const hit of rails.chosen.hits) {
    if (hit.tick < look.start || hit.tick >= look.end) continue;
    const row = rails.canvasOf(hit.voice)?.getBoundingClientRect();
    if (!row || row.bottom <= inside.top || row.top >= inside.bottom) continue;
    const x = row.left + xOf(hit.tick, look, row.width);
    found ??= { left: x, right: x, top: row.top, bottom: row.bottom };
    found = { left: Math.min(found.left, x), right: Math.max(found.right, x), top: Math.min(found.top, row.top), bottom: Math.max(found.bottom, row.bottom) };
  }
  return found;
}
