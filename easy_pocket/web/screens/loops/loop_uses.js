// What one takes from a loop: its hits by sound on the kit, doubtful hits one by one, and the stack against it.

import { showHit, takeHit } from "./group_hit.js";
import { byId, element, text } from "../../shared/dom.js";
import { ask as askServer } from "../../shared/api.js";
import { LoopGroove } from "./loop_groove.js";
import { LoopLayer } from "./layered_loop.js";
import { retimeTo } from "./retime.js";
import { sliceUp, slicesAsPart } from "./loop_slices.js";
import { showNote, speak } from "../../shared/notes.js";
import { paint } from "../../shared/sliders.js";

const ROUND_S = 0.45; // heard before and after a doubtful hit
const NS = "http://www.w3.org/2000/svg";

export class LoopUses {
  /** @param {any} loops */
  constructor(loops) {
    this.loops = loops;
    this.shown = "hear";
    /** @type {any[]} */
    this.groups = [];
    /** @type {any} */
    this.group = null;
    this.groove = new LoopGroove(this);
    this.layers = new LoopLayer(this);
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("tab", ({ detail }) => detail.of === "loops" && this.show(detail.shown));
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("input", (event) => event.target.id === "sit-strength" && this.against());
  }

  get page() {
    return this.loops.page;
  }

  get box() {
    return byId("loop-side");
  }

  mount() {
    if (this.box) this.show(this.shown);
  }

  /**
   * Another tab is shown.
   * @param {string} part
   */
  show(part) {
    this.shown = part;
    if (part === "hits") this.loadGroups();
    else this.mark(null);
    if (part === "against") this.against();
  }

  /**
   * @param {string} path
   * @param {any} [body]
   */
  async ask(path, body = null) {
    const options = body ? { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(body) } : {};
    const answer = await askServer(`${this.loops.address}/${path}`, options).catch(() => null);
    const result = await answer?.json().catch(() => null);
    if (answer?.ok) return result;
    return { error: result?.error || "Easy Pocket does not answer just now; nothing was changed. Try again in a moment." };
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (!button || !this.box) return;
    const { dataset } = button;
    if (dataset.doubt) this.doubt(Number(dataset.doubt));
    else if (dataset.groupHear) this.hearGroup(Number(dataset.groupHear));
    else if (dataset.groupSplit) this.loops.correct({ kind: "group_split", group: Number(dataset.groupSplit) }, { near: button });
    else if (dataset.groupTake) this.take(Number(dataset.groupTake), button);
    else if (dataset.beatHear !== undefined) this.hearBeat(button);
    else if (dataset.beatPut) this.page.edits.push({ kind: "loop_beat", loop_id: Number(this.loops.section.dataset.loop), how: dataset.beatPut, tempo: byId("beat-tempo").checked }, { near: button });
    else if (dataset.pairHear) this.loops.playPair(this.worst[Number(dataset.pairHear)]);
    else if (dataset.sitVoice) this.toggleVoice(button);
    else if (dataset.slicesSong !== undefined) sliceUp(this, button);
    else if (dataset.slicesPart !== undefined) slicesAsPart(this, button);
    else if (dataset.sitIn !== undefined) this.sitIn(button);
    else if (button.closest("#against-worst") && dataset.tick) this.goTo(dataset.voice, Number(dataset.tick));
  }

  /** @param {PageEvent} event */
  change(event) {
    const { target } = event;
    if (!this.box) return;
    if (target.id === "group-count" && target.value !== "") this.loops.correct({ kind: "group_count", count: Number(target.value) }, { near: target });
    else if (target.dataset.groupVoice) this.loops.correct({ kind: "group_voice", group: Number(target.dataset.groupVoice), voice: target.value }, { near: target });
    else if (target.dataset.groupInto && target.value !== "") this.loops.correct({ kind: "group_merge", group: Number(target.dataset.groupInto), into: Number(target.value) }, { near: target });
    else if (target.id === "against-of") this.against();
    else if (target.id === "slice-by") byId("slices-link").href = `${this.loops.address}/slices.zip?by=${target.value}`;
    else if (target.id.startsWith("retime-")) retimeTo(this.loops.address, target);
  }

  // Doubtful hits --------------------------------------------------------------------------------------------------
  doubts() {
    return [...this.box.querySelectorAll("[data-doubt]")];
  }

  /** @param {number} by */
  step(by) {
    const doubts = this.doubts();
    if (!doubts.length) return;
    const at = doubts.findIndex((one) => one.classList.contains("now"));
    this.doubt(Number(doubts[(at + by + doubts.length) % doubts.length].dataset.doubt));
  }

  /** @param {any} time_s */
  doubt(time_s) {
    for (const one of this.doubts()) one.classList.toggle("now", Number(one.dataset.doubt) === time_s);
    const onset = document.querySelector(`.onset[data-time="${time_s.toFixed(7)}"]`);
    if (onset) this.loops.choose(onset);
    this.loops.playSpan(Math.max(0, time_s - ROUND_S), 2 * ROUND_S);
  }

  keep() {
    const now = this.doubts().find((one) => one.classList.contains("now"));
    if (now) this.loops.correct({ kind: "keep", time_s: Number(now.dataset.doubt) }, { near: now });
  }

  get keys() {
    const when = () => Boolean(this.box) && this.shown === "hear";
    return [
      { keys: "n", shows: "n, p", words: "next, previous doubtful hit", when, run: () => this.step(1) },
      { keys: "p", when, run: () => this.step(-1) },
      { keys: "k", words: "keep the doubtful hit", when, run: () => this.keep() },
      { keys: "Delete", when: () => when() && document.activeElement?.id !== "wave", run: () => this.removeDoubt() },
    ];
  }

  removeDoubt() {
    const now = this.doubts().find((one) => one.classList.contains("now"));
    if (!now) return false;
    this.loops.correct({ kind: "remove", time_s: Number(now.dataset.doubt) }, { near: now });
    return true;
  }

  // Hits by sound --------------------------------------------------------------------------------------------------
  async loadGroups() {
    const found = await this.ask("groups");
    if (!this.box || this.shown !== "hits") return;
    if (found.error) {
      showNote(found.error, { near: this.box, wrong: true });
      return;
    }
    this.groups = found.groups;
    byId("groups-unsure").textContent = found.unsure ? `${found.unsure} unsure` : "";
    byId("groups-words").textContent = found.words;
    const voices = JSON.parse(this.loops.section.dataset.voices);
    byId("groups").replaceChildren(...this.groups.map((group, number) => this.groupLine(group, number, voices)));
    byId("group-count").value = this.groups.length >= 2 && this.groups.length <= 8 ? `${this.groups.length}` : "";
    this.mark(this.group !== null && this.group < this.groups.length ? this.group : null);
    this.showHit();
  }

  /**
   * @param {any} group
   * @param {number} number
   * @param {string[]} voices
   */
  groupLine(group, number, voices) {
    const line = element("div", "group-line");
    line.setAttribute("role", "listitem");
    const hear = element("button", "group-hear");
    hear.type = "button";
    hear.dataset.groupHear = String(number);
    hear.title = "Hear its hits one after another";
    hear.append(text("b", group.name), text("small", `${group.times.length} hit${group.times.length === 1 ? "" : "s"}${group.certainty.some((/** @type {any} */ sure) => sure < 0.5) ? ", some unsure" : ""}`));
    const voice = select([...voices.map(([key, name]) => [key, name]), ["", "left out"]], group.voice, `Voice of ${group.name}`);
    voice.dataset.groupVoice = String(number);
    const split = text("button", "split", "plain");
    split.type = "button";
    split.dataset.groupSplit = String(number);
    const into = select([["", "join to…"], ...this.groups.map((other, place) => [place, other.name]).filter(([place]) => place !== number)], "", `Join ${group.name} to another group`);
    into.dataset.groupInto = String(number);
    line.append(hear, wrapped(voice), split, wrapped(into));
    return line;
  }

  /** @param {number | null} number */
  mark(number) {
    const times = number === null ? null : new Set(this.groups[number].times.map((/** @type {number} */ time) => time.toFixed(5)));
    this.group = number;
    for (const onset of document.querySelectorAll(".onset")) onset.classList.toggle("faded", times !== null && !times.has(Number(onset.dataset.time).toFixed(5)));
    this.loops.wave.later();
    document.querySelectorAll(".group-line").forEach((line, place) => line.classList.toggle("on", place === number));
  }

  /** @param {number} number */
  hearGroup(number) {
    this.mark(this.group === number ? null : number);
    if (this.group === null) return;
    const { times } = this.groups[number];
    this.loops.playSpans(times.slice(0, 12).map((/** @type {number} */ time) => [time, 0.22]));
    speak(`${this.groups[number].name}, ${times.length} hits`);
  }

  showHit() {
    showHit(this.groups);
  }

  /**
   * @param {number} number
   * @param {Piece} near
   */
  take(number, near) {
    takeHit(this.loops, this.groups, number, near);
  }

  /** @param {Piece} near */
  async hearBeat(near) {
    const found = await this.ask("beat");
    if (found.error) {
      showNote(found.error, { near, wrong: true });
      return;
    }
    this.loops.player.stop();
    this.loops.player.stack = found;
    await this.loops.player.start("both");
  }

  // Against the stack ----------------------------------------------------------------------------------------------
  wanted() {
    const buttons = [...this.box.querySelectorAll("[data-sit-voice]")];
    const on = buttons.filter((button) => button.getAttribute("aria-pressed") === "true").map((button) => button.dataset.sitVoice);
    return { strength_percent: Number(byId("sit-strength").value), voices: on.length === buttons.length ? [] : on, none: !on.length };
  }

  /** @param {Piece} button */
  toggleVoice(button) {
    button.setAttribute("aria-pressed", button.getAttribute("aria-pressed") !== "true");
    this.against();
  }

  // All parts beside the loop that is shown.
  compareAll() {
    const of = byId("against-of");
    if (of) of.value = "all";
    this.openTab("against");
  }

  /** @param {string} name */
  openTab(name) {
    document.querySelector(`#loop-side [data-tab="${name}"] a`)?.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
  }

  async against() {
    if (this.shown !== "against" || !this.box) return;
    const slider = byId("sit-strength");
    paint(slider);
    byId("sit-strength-words").textContent = `${slider.value} %`;
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const { none, ...wanted } = this.wanted();
    const of = byId("against-of")?.value ?? "";
    byId("sit-card").hidden = Boolean(of);
    const found = await this.ask("against", { ...wanted, of });
    if (turn !== this.turn || !this.box || this.shown !== "against") return;
    const button = this.box.querySelector("[data-sit-in]");
    if (found.error) {
      byId("against-words").textContent = found.error;
      byId("against-words").classList.add("warning");
      button.disabled = true;
      for (const id of ["against-rows", "against-worst", "against-picture", "sit-words"]) byId(id).replaceChildren();
      return;
    }
    byId("against-words").classList.remove("warning");
    byId("against-words").textContent = found.pairs ? `${found.pairs} of ${found.hits} hits have one of the loop near them, ${found.size.toFixed(1)} ms apart on average.` : "No hit of the stack has one of the loop near it.";
    byId("against-rows").replaceChildren(...found.rows.map((/** @type {any} */ row) => gapRow(row)));
    this.worst = found.worst;
    byId("against-worst").replaceChildren(...found.worst.map(worstLine));
    byId("sit-words").textContent = none ? "Choose a voice." : found.moved ? `${found.moved} hits move, ${found.led} led by a hit of the loop, the others by its groove; the gap goes to ${found.then === null ? "none" : `${found.then.toFixed(1)} ms`}.` : "No hit moves.";
    button.disabled = none || !found.moved;
    drawAgainst(byId("against-picture"), found);
  }

  /** @param {Piece} near */
  sitIn(near) {
    const { none, ...wanted } = this.wanted();
    if (!none) this.page.edits.push({ kind: "sit_in", loop_id: Number(this.loops.section.dataset.loop), ...wanted }, { near });
  }

  // The song has changed.
  follow() {
    if (this.box && this.shown === "against") this.against();
    if (this.box) this.layers.follow();
  }

  /**
   * @param {string | undefined} voice
   * @param {number} tick
   */
  async goTo(voice, tick) {
    await this.page.redraw(`/songs/${this.page.song.id}/bench`);
    this.page.screens.bench.rails.goTo(voice, tick);
  }
}

/**
 * @param {any} options
 * @param {any} value
 * @param {string} label
 */
function select(options, value, label) {
  const made = document.createElement("select");
  made.setAttribute("aria-label", label);
  made.append(...options.map((/** @type {any} */ [key, name]) => new Option(name, key)));
  made.value = value;
  return made;
}

/** @param {any} inner */
function wrapped(inner) {
  const box = element("span", "select is-small");
  box.append(inner);
  return box;
}

/** @param {any} value */
function signedMs(value) {
  return `${value > 0 ? "+" : value < 0 ? "−" : ""}${Math.abs(value).toFixed(1)}`;
}

/** @param {any} options */
function gapRow({ name, pairs, mean, size, gaps }) {
  const row = element("div", "pocket-row");
  const picture = document.createElementNS(NS, "svg");
  const reach = 40;
  picture.append(shape("line", { class: "zero", x1: "50%", x2: "50%", y1: 0, y2: "100%" }));
  gaps.slice(0, 64).forEach((/** @type {number} */ gap, /** @type {number} */ index) => picture.append(shape("circle", { class: "dot", cx: `${50 + 48 * Math.max(-1, Math.min(1, gap / reach))}%`, cy: `${30 + 10 * ((index * 7) % 5)}%`, r: 1.9 })));
  row.append(text("span", name), picture, text("b", `${signedMs(mean)} |${size.toFixed(1)}|`, Math.abs(mean) < 0.75 ? "even" : mean > 0 ? "late" : "early"));
  row.title = `${pairs} pair${pairs === 1 ? "" : "s"}; positive: the stack is late against the loop`;
  return row;
}

/**
 * @param {any} options
 * @param {number} number
 */
function worstLine({ voice, tick, words, gap }, number) {
  const line = element("div", "worst-line");
  line.setAttribute("role", "listitem");
  const hear = text("button", "hear", "plain");
  hear.type = "button";
  hear.dataset.pairHear = String(number);
  hear.title = "Hear both as they lie";
  const go = element("button", "memory-line");
  go.type = "button";
  Object.assign(go.dataset, { voice, tick });
  go.append(text("span", words), text("b", `${signedMs(gap)} ms`, gap > 0 ? "late" : "early"));
  line.append(hear, go);
  return line;
}

/**
 * @param {string} kind
 * @param {any} values
 */
function shape(kind, values) {
  const made = document.createElementNS(NS, kind);
  for (const [name, value] of Object.entries(values)) made.setAttribute(name, value);
  return made;
}

/**
 * Stack above - and in orange where its hits would go -, loop below, on one ruler; a thread joins what belongs together when it is apart.
 * @param {any} picture
 * @param {any} found
 */
function drawAgainst(picture, found) {
  const x = (/** @type {number} */ time) => `${((100 * time) / found.length_s).toFixed(3)}%`;
  const marks = (/** @type {number[]} */ times, /** @type {number} */ from, /** @type {number} */ to, /** @type {string} */ name) => times.map((/** @type {any} */ [time, loud]) => shape("line", { class: name, x1: x(time), x2: x(time), y1: from, y2: from + (to - from) * loud }));
  const near = (/** @type {any} */ hit) => hit.loop_s - found.length_s * Math.round((hit.loop_s - hit.stack_s) / found.length_s); // round the end
  const threads = found.worst.map((/** @type {any} */ hit) => shape("line", { class: hit.gap > 0 ? "late" : "early", x1: x(hit.stack_s), x2: x(near(hit)), y1: 30, y2: 38 }));
  picture.replaceChildren(shape("line", { class: "zero", x1: 0, x2: "100%", y1: 30, y2: 30 }), shape("line", { class: "zero", x1: 0, x2: "100%", y1: 38, y2: 38 }), ...marks(found.stack, 30, 2, "mine"), ...marks(found.would, 30, 2, "would"), ...marks(found.loop, 38, 66, "theirs"), ...threads);
}
