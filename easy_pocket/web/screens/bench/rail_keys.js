// The Bench without a mouse: the cursor on the rails, and every deed by a key.

import { showLedger, showNote, speak } from "../../shared/notes.js";
import { ledgerText, placeName, spokenHit } from "../../shared/rail_words.js";

const GHOST_VELOCITY = 38;
const ACCENT_VELOCITY = 116;

export class RailKeys {
  constructor(rails) {
    this.rails = rails;
  }

  press(event) {
    const { rails } = this;
    if (!rails.box || document.activeElement !== rails.box || event.altKey) return false;
    rails.ensureCursor();
    if (event.ctrlKey || event.metaKey) {
      if (event.key.toLowerCase() !== "a") return false;
      rails.chosen.by("all");
      return true;
    }
    if (event.key.startsWith("Arrow") || ["Home", "End", "PageUp", "PageDown"].includes(event.key)) return this.go(event);
    return this.deed(event);
  }

  go(event) {
    const { rails } = this;
    const { voice, tick } = rails.cursor;
    const voices = rails.voices();
    const step = rails.data.step(voice);
    const row = voices.indexOf(voice);
    const { start, end } = rails.look;
    const last = (Math.ceil(rails.facts.length / step) - 1) * step;
    if (event.shiftKey && event.key.startsWith("Arrow")) {
      const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
      rails.chosen.move(...by);
      return true;
    }
    const places = {
      ArrowLeft: [voice, (Math.ceil(tick / step) - 1) * step],
      ArrowRight: [voice, (Math.floor(tick / step) + 1) * step],
      Home: [voice, Math.ceil(start / step) * step],
      End: [voice, Math.floor((end - 1) / step) * step],
      ArrowUp: [voices[Math.max(0, row - 1)], tick],
      ArrowDown: [voices[Math.min(voices.length - 1, row + 1)], tick],
      PageUp: [voice, tick - (end - start)],
      PageDown: [voice, tick + (end - start)],
    };
    const [toVoice, toTick] = places[event.key];
    rails.putCursor(toVoice, Math.max(0, Math.min(toTick, last)));
    document.getElementById(`rail-${toVoice}`).scrollIntoView({ block: "nearest" });
    this.tell();
    return true;
  }

  tell() {
    const { rails } = this;
    const { voice, tick } = rails.cursor;
    const hit = rails.find(voice, tick);
    speak(hit ? spokenHit(hit, rails.facts) : `${rails.nameOf(voice)}, ${placeName(tick, rails.facts)}, no hit`);
    if (hit) showLedger(ledgerText(hit, rails.facts, rails.marks.targets?.get(hit.voice)?.get(hit.tick)));
    rails.marks.hot = hit ? `${voice} ${tick}` : null;
  }

  deed(event) {
    const { rails } = this;
    const { chosen } = rails;
    const { voice, tick } = rails.cursor;
    const hit = rails.find(voice, tick);
    const many = chosen.keys.size > 0;
    const press = (kind) => document.querySelector(`#rail-${voice} [data-mix="${kind}"]`).click();
    const deeds = {
      Enter: () => (hit ? rails.remove(voice, tick) : rails.write(voice, tick)),
      Delete: () => chosen.remove(),
      Backspace: () => chosen.remove(),
      ",": () => this.nudge(-1),
      "<": () => this.nudge(-5),
      ".": () => this.nudge(1),
      ">": () => this.nudge(5),
      ";": () => this.nudge(-5),
      ":": () => this.nudge(5),
      g: () => this.velocity(GHOST_VELOCITY),
      a: () => this.velocity(ACCENT_VELOCITY),
      f: () => chosen.ornament("flam"),
      F: () => chosen.ornament("drag"),
      r: () => chosen.ornament("ratchet"),
      R: () => chosen.ornament("roll"),
      l: () => chosen.lock(),
      L: () => rails.push({ kind: "lock_voice", voice, locked: !rails.facts.lockedVoices.includes(voice) }, { near: rails.box }),
      b: () => this.nextSound(hit),
      m: () => press("mute"),
      s: () => press("solo"),
      k: () => this.onlyBackbone(),
      d: () => rails.push({ kind: "length", bars: Math.max(1, Math.round((rails.facts.length / rails.facts.bar) * 2)) }, { near: rails.box }),
      D: () => rails.push({ kind: "length_ticks", length_ticks: Math.max(10, Math.round(rails.facts.length / 2)) }, { near: rails.box }),
      e: () => rails.setMode(rails.mode === "write" ? "select" : "write"),
      v: () => hit && chosen.toggle(hit),
      "[": () => this.bars(tick, null),
      "]": () => this.bars(null, tick),
      w: () => chosen.by("row"),
      p: () => chosen.by("place"),
      "+": () => rails.zoom(0.5, tick),
      "-": () => rails.zoom(2, tick),
      Escape: () => many && chosen.clear(),
    };
    if (/^[1-9]$/.test(event.key)) this.velocity(Math.round((Number(event.key) / 9) * 127));
    else if (deeds[event.key]) return deeds[event.key]() !== false;
    else return false;
    return true;
  }

  // Choose bars: from the cursor's bar on, or up to it.
  bars(from, to) {
    const { rails } = this;
    const barOf = (tick) => Math.floor(tick / rails.facts.bar) + 1;
    const now = rails.bars ?? { from: barOf(from ?? to), count: 1 };
    const last = now.from + now.count - 1;
    const first = from === null ? Math.min(now.from, barOf(to)) : barOf(from);
    const end = to === null ? Math.max(first, last) : Math.max(first, barOf(to));
    rails.chooseBars({ from: first, count: end - first + 1 });
    speak(rails.bars.count > 1 ? `bars ${first} to ${end} chosen` : `bar ${first} chosen`);
  }

  velocity(value) {
    const { rails } = this;
    const { voice, tick } = rails.cursor;
    if (rails.chosen.keys.size) rails.chosen.velocity(value);
    else if (rails.find(voice, tick)) rails.push({ kind: "velocity", voice, tick, velocity: value }, { near: rails.canvasOf(voice) });
    else rails.write(voice, tick, value);
  }

  nudge(ms) {
    const { rails } = this;
    if (rails.chosen.keys.size) {
      rails.chosen.nudge(ms);
      return;
    }
    const { voice, tick } = rails.cursor;
    const hit = rails.find(voice, tick);
    if (!hit) return;
    // What was foreseen is what the next press starts from, so keys in quick succession add up.
    const offset_ms = Math.max(-250, Math.min(250, hit.own + ms));
    rails.push({ kind: "offset", voice, tick, offset_ms }, { gesture: `nudge-${voice}-${tick}`, near: rails.canvasOf(voice) });
  }

  // The voice's own sound, then its alternates one after another.
  nextSound(hit) {
    if (!hit) return;
    const { rails } = this;
    const row = document.getElementById(`rail-${hit.voice}`);
    const count = Number(row.dataset.alternates);
    if (!count) showNote("This voice has no other sounds yet: add an alternate on the Kit screen.", { near: row });
    else rails.push({ kind: "alternate", voice: hit.voice, tick: hit.tick, alternate: (hit.asked + 1) % (count + 1) }, { near: row });
  }

  // Only kick and snare, and all again.
  onlyBackbone() {
    const { rails } = this;
    const backbone = rails.voices().filter((voice) => voice === "kick" || voice === "snare");
    const soloed = [...document.querySelectorAll('.rail-row:has([data-mix="solo"][aria-pressed="true"])')].map((row) => row.dataset.voice);
    const same = soloed.length === backbone.length && backbone.every((voice) => soloed.includes(voice));
    rails.push({ kind: "solo_only", voices: same ? [] : backbone }, { near: rails.box });
  }
}
