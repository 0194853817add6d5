// What the player has sound: hits of the stack and turns of a loop, each at the time it was given.

import { StageGraph, ceilingNode } from "./stage_graph.js";
import { columnsOf, firstFrom, keysOf } from "./schedule.js";

const AUDIO = document.documentElement.dataset.audio ?? "/audio"; // who listens by a link asks elsewhere

const MOST_PLACES = 256;
export const LEAD_S = 0.1; // between the press of Play and the first hit

/**
 * @param {import("./player.js").Player} player
 * @param {number} from
 * @param {number} until
 */
export function planStack(player, from, until) {
  const { from: offset, turnLength: length, heard } = player;
  if (!heard) return;
  planCurves(player, from, until);
  const early = player.mode === "song" ? LEAD_S : 1e-6; // a song's first hits may come before its first beat
  const lastPass = player.repeats ? Infinity : 0;
  const firstPass = Math.max(0, Math.floor((from - player.anchor) / length));
  for (let pass = firstPass; pass <= lastPass; pass += 1) {
    const begin = player.anchor + pass * length;
    if (begin >= until) break;
    player.layered.plan(pass, begin, from, begin + length);
    player.click?.plan(begin - offset, Math.max(from, begin), Math.min(until, begin + length));
    const events = columnsOf(heard, player.timing, pass);
    for (let index = firstFrom(events.start_s, Math.max(from, begin - early) - begin + offset); index < events.start_s.length; index += 1) {
      const at = begin + events.start_s[index] - offset;
      if (at >= until || at >= begin + length) break;
      if (player.silenced(at)) continue;
      strike(player, events, index, at, begin - offset);
    }
  }
}

/**
 * What moves along the music, over the passes from a time on.
 * @param {import("./player.js").Player} player
 * @param {number} from
 * @param {number} until
 */
export function planCurves(player, from, until) {
  const { from: offset, turnLength: length } = player;
  const lastPass = player.repeats ? Infinity : 0;
  for (let pass = Math.max(0, Math.floor((from - player.anchor) / length)); pass <= lastPass; pass += 1) {
    const begin = player.anchor + pass * length;
    if (begin >= until) break;
    player.stage.follower.plan(begin - offset, begin, begin + length, from, until);
  }
}

/**
 * @param {import("./player.js").Player} player
 * @param {any} events
 * @param {number} index
 * @param {number} at
 * @param {number} begin
 */
export function strike(player, events, index, at, begin) {
  const key = events.audio[events.sound[index]];
  const place = key.replace(/-[0-9a-f]+-/, "-");
  let buffer = player.buffers.get(key);
  if (!(buffer instanceof AudioBuffer)) {
    player.sound(key);
    buffer = player.latest.get(place);
    if (!buffer) return;
  }
  player.latest.set(place, buffer);
  const node = player.context.createBufferSource();
  const gain = player.context.createGain();
  const where = events.places?.[events.place[index]] ?? "whole";
  const moved = player.moved?.where === where ? player.moved : null;
  const pan = moved?.pan ?? events.pan[index];
  if (moved) at = Math.max(at + moved.later_s, player.context.currentTime);
  node.buffer = buffer;
  gain.gain.value = events.gain[index] * (player.heard?.master_gain ?? 1);
  if (events.rate?.[index]) node.playbackRate.value = events.rate[index];
  node.connect(gain).connect(panned(player, pan, where));
  const room = events.room?.[index];
  if (room) gain.connect(roomPanned(player, pan, room));
  // On a whole sample, as in the mixdown: between two the browser would interpolate, and dull the attack.
  node.start(Math.round(at * player.context.sampleRate) / player.context.sampleRate);
  const cut = events.cut_s[index];
  if (cut !== null) {
    const fade_s = player.stack?.cut_fade_s ?? 0.005;
    const cutAt = begin + cut;
    gain.gain.setValueAtTime(gain.gain.value, cutAt);
    gain.gain.linearRampToValueAtTime(0, cutAt + fade_s);
    node.stop(cutAt + fade_s + 0.01);
  }
  const voice = { node, gain, at };
  player.pending.add(voice);
  player.starts.push(at);
  if (player.starts.length > 4096) player.starts = player.starts.slice(-2048);
  node.onended = () => player.pending.delete(voice);
  return voice;
}

/**
 * What sounds from one place goes through one panner: there are few places and many hits.
 * @param {import("./player.js").Player} player
 * @param {number} pan
 * @param {string} where its place on the Stage
 */
export function panned(player, pan, where) {
  const key = `${where} ${pan}`;
  let panner = player.panners.get(key);
  if (!panner) {
    panner = player.context.createStereoPanner();
    panner.pan.value = pan;
    panner.connect(player.stage.input(where));
    if (player.panners.size < MOST_PLACES) player.panners.set(key, panner);
  }
  return panner;
}

/**
 * What a single hit sends to the long room by itself: placed as it is, before its voice's chain.
 * @param {import("./player.js").Player} player
 * @param {number} pan
 * @param {number} room
 */
function roomPanned(player, pan, room) {
  const level = player.context.createGain();
  const panner = player.context.createStereoPanner();
  level.gain.value = room;
  panner.pan.value = pan;
  level.connect(panner).connect(player.stage.input("long"));
  return level;
}

/**
 * @param {import("./player.js").Player} player
 * @param {any[]} voices
 */
export function takeBack(player, voices) {
  for (const voice of voices) {
    voice.node.onended = null;
    voice.node.stop();
    voice.node.disconnect();
    player.pending.delete(voice);
  }
}

/**
 * @param {import("./player.js").Player} player
 * @param {number} until
 */
export function planTurns(player, until) {
  if (player.mode !== "both" || player.blend !== "turns") return;
  for (let begin = player.anchor + player.turned * player.loop.length_s; begin < until; begin += player.loop.length_s) {
    player.loopGain.gain.setValueAtTime(player.turned % 2 ? 0 : 1, Math.max(begin, player.context.currentTime));
    player.turned += 1;
  }
}

/**
 * With what is there at once, and again when sounds that were missing have come.
 * @param {import("./player.js").Player} player
 */
export function replanWithSounds(player) {
  player.replan();
  player.layered.forget();
  const playing = player.heard;
  if (player.context && playing && keysOf(playing).some((key) => !(player.buffers.get(key) instanceof AudioBuffer))) fetchSounds(player).then(() => player.replan());
}

/**
 * @param {import("./player.js").Player} player
 */
export function startLoop(player) {
  const { buffer, start_s, length_s, duration_s, wraps } = player.loop;
  const node = player.context.createBufferSource();
  node.buffer = buffer;
  node.loop = player.repeats;
  node.loopStart = wraps ? 0 : start_s;
  node.loopEnd = wraps ? duration_s : Math.min(start_s + length_s, duration_s);
  node.connect(player.loopGain);
  node.start(player.anchor, start_s);
  player.loopNode = node;
}

/**
 * @param {import("./player.js").Player} player
 */
export async function fetchSounds(player, playing = player.heard) {
  if (!player.context || !playing) return;
  await Promise.all(keysOf(playing).map((key) => player.sound(key)));
}

/**
 * The audio context, with the stack and the loop on their ways to the master.
 * @param {import("./player.js").Player} player
 */
export async function openGraph(player) {
  player.context = new AudioContext({ sampleRate: 44100, latencyHint: "interactive" });
  await addGraph(player);
}

/**
 * The ways of sound in any context: the stack over its Stage and a loop beside it, both under the ceiling.
 * @param {any} player
 */
export async function addGraph(player) {
  await player.context.audioWorklet.addModule(new URL("./stage_worklet.js", import.meta.url));
  player.master = player.context.createGain();
  const ceiling = ceilingNode(player.context);
  player.ceiling = ceiling;
  player.master.connect(ceiling).connect(player.context.destination);
  player.stackOut = player.context.createStereoPanner();
  player.loopOut = player.context.createStereoPanner();
  player.loopGain = player.context.createGain();
  // A loop in one channel is as loud as it was before it came through here: twice the same, not placed.
  Object.assign(player.loopGain, { channelCount: 2, channelCountMode: "explicit" });
  player.stackOut.connect(player.master);
  player.stage = new StageGraph(player.context, player.stackOut, (key) => player.sound(`rooms/${key}`));
  player.stage.setCeiling = (/** @type {number} */ ceiling_db) => ceiling.port.postMessage(10 ** (ceiling_db / 20));
  player.loopGain.connect(player.loopOut).connect(player.master);
}

/**
 * One buffer by content key, asked for once: a sound, what a loop plays ("layers/..."), or a room ("rooms/...").
 * @param {any} player
 * @param {string} key
 */
export function soundOf(player, key) {
  if (!player.buffers.has(key)) {
    const promise = fetch(`${AUDIO}/${/^(layers|rooms|clicks)\//.test(key) ? key : `sounds/${key}`}.wav`)
      .then((answer) => {
        if (!answer.ok) throw new Error(`sound ${key}: ${answer.status}`);
        return answer.arrayBuffer();
      })
      .then((data) => player.context.decodeAudioData(data))
      .then((buffer) => {
        player.buffers.set(key, buffer);
        return buffer;
      })
      .catch((error) => {
        player.buffers.delete(key);
        console.warn(error);
      });
    player.buffers.set(key, promise);
  }
  return player.buffers.get(key);
}

/** @param {any} player */
export async function loopBuffer(player) {
  if (!player.loop.buffer) {
    const answer = await fetch(player.loop.url);
    player.loop.buffer = await player.context.decodeAudioData(await answer.arrayBuffer());
  }
  return player.loop.buffer;
}

/**
 * Loop and stack in the middle, or to either side, as the player's blend says.
 * @param {import("./player.js").Player} player
 */
export function blendOutputs(player) {
  const apart = player.blend === "sides" ? 0.9 : 0;
  player.loopOut.pan.value = -apart;
  player.stackOut.pan.value = apart;
  player.turned = 0;
  player.loopGain.gain.cancelScheduledValues(0);
  player.loopGain.gain.value = 1;
  player.replan();
}
