// Where in the music the player is: round which of its seconds it goes, and jumps to another place.

import { LEAD_S, takeBack } from "./sounding.js";

export const TOUCH_S = 0.03; // what starts sooner than this is left to sound: nobody hears an edit come that late

/**
 * Round some seconds of the stack or of the song, or all of it (null). Where the music is inside, it goes on; else it
 * goes to where they begin. What is not heard now is set for later.
 * @param {import("./player.js").Player} player
 * @param {"stack" | "song"} mode
 * @param {{ from_s: number, to_s: number } | null} span
 */
export function goRound(player, mode, span) {
  const at = player.mode === mode ? player.position : null;
  player[mode === "song" ? "songSpan" : "span"] = span;
  if (at === null) return;
  const from = span?.from_s ?? 0;
  const inside = at >= from && at < from + player.turnLength;
  player.anchor = player.context.currentTime - (inside ? at - from : -LEAD_S);
  player.replan();
}

/**
 * Whether a jump is to come yet.
 * @param {import("./player.js").Player} player
 */
export const jumpsSoon = (player) => Boolean(player.running && player.before && player.context.currentTime < player.before.until);

/**
 * To another place of the song, at a moment of this pass; what was planned for after it is taken back.
 * @param {import("./player.js").Player} player
 * @param {number} to_s
 * @param {number} at_s
 */
export function jump(player, to_s, at_s) {
  if (!player.running || player.mode !== "song") return;
  const first = jumpsSoon(player) ? player.before.until : Infinity;
  if (first < Infinity) Object.assign(player, { anchor: player.before.anchor, songSpan: player.before.span }); // in place of the one that was to come
  const when = player.anchor + at_s - player.from;
  if (when < player.now + TOUCH_S) return;
  player.before = { anchor: player.anchor, from: player.from, until: when, span: player.songSpan };
  player.songSpan = null;
  player.anchor = when - to_s;
  const late = [...player.pending].filter((voice) => voice.at >= Math.min(first, when) - 1e-6);
  player.layered.end(when, false);
  takeBack(player, late);
  player.horizon = Math.min(player.horizon, first, when);
  player.plan();
}
