// The page's own graph, computed faster than it sounds: the same scheduling and nodes in an offline context. Tests hold
// it against the files, and a page can measure what it plays.

import { CEILING } from "./stage_constants.js";
import { columnsOf, keysOf } from "./schedule.js";
import { LayeredLoopPlayer } from "./layered_loop_player.js";
import { addGraph, planStack, soundOf } from "./sounding.js";

const RATE = 44_100;
const AT_ONCE_S = 4;
const PLANNED_AHEAD_S = 1;

/**
 * What a performance sounds like from its start: both channels, the ceiling's delay taken off.
 * @param {any} playing as Python gives it
 * @param {number} passes how often it goes round
 * @param {number} [rings_s] how long it is listened to after that
 * @param {number} [before_s] silence before the first beat, for hits that come early
 */
export async function offlineMix(playing, passes, rings_s = 0, before_s = 0) {
  const turn_s = Math.round(playing.length_s * RATE) / RATE; // whole samples, as a file has
  const length_s = before_s + passes * turn_s + rings_s;
  const frames = Math.round(length_s * RATE) + CEILING.latency;
  /** @type {any} */
  const player = {
    context: new OfflineAudioContext(2, frames, RATE), heard: playing, stack: playing, mode: before_s ? "song" : "stack", timing: "felt",
    anchor: before_s, from: 0, round: null, turnLength: turn_s, lookAhead: 30, repeats: true,
    buffers: new Map(), panners: new Map(), latest: new Map(), pending: new Set(), starts: [], silenced: () => false,
  };
  player.sound = (/** @type {string} */ key) => soundOf(player, key);
  player.layered = new LayeredLoopPlayer(player);
  player.layered.ahead_s = Infinity;
  await addGraph(player);
  const rooms = Object.values(playing.stage.returns).filter(({ room }) => room).map(({ room }) => `rooms/${room}`);
  await Promise.all([...keysOf(playing), ...(playing.layered_loops_at ?? []).map((/** @type {any} */ one) => `layers/${one.key}`), ...rooms].map((key) => player.sound(key)));
  player.stage.apply(playing.stage);
  for (const columns of [columnsOf(playing, "felt", 0)]) for (const where of columns.places) player.stage.input(where);
  const end_s = before_s + passes * turn_s;
  planStack(player, 0, Math.min(AT_ONCE_S, end_s));
  // A few seconds at a time, as while it plays: thousands of nodes at once would take long.
  for (let at = AT_ONCE_S; at < end_s; at += AT_ONCE_S) {
    player.context.suspend(at - PLANNED_AHEAD_S).then(() => {
      planStack(player, at, Math.min(at + AT_ONCE_S, end_s));
      player.context.resume();
    });
  }
  const made = await player.context.startRendering();
  return [0, 1].map((side) => made.getChannelData(side).subarray(CEILING.latency));
}
