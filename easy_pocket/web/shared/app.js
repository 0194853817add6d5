// The page around the screens: header, transport, keys, and what an answer changes on the screen.

import { ask } from "./api.js";
import { Edits } from "./edit_queue.js";
import { takeAway } from "./exports.js";
import { Grooves } from "../screens/grooves/grooves.js";
import { Ideas } from "../screens/ideas/ideas.js";
import { KitScreen } from "../screens/kit/kit.js";
import { lookBack, lookText, lookedAt, looking } from "./selection.js";
import { Keys, isPressedBySpace, isTyping } from "./keys.js";
import { Loops } from "../screens/loops/loops.js";
import { Memory } from "../screens/bench/history.js";
import { showNote } from "./notes.js";
import { Parked } from "./parked_edits.js";
import { Player } from "./player.js";
import { Rails } from "../screens/bench/rails.js";
import { Ribbon } from "./ribbon.js";
import { RowTools } from "../screens/bench/row_tools.js";
import { Side } from "../screens/bench/side.js";
import { SongPlan } from "./song_plan.js";
import { SongScreen } from "../screens/song/song.js";
import { paint, paintAll } from "./sliders.js";
import { TryOut } from "./try_out.js";

const EAR_FIRST_MS = 120;
const HOLD_MS = 280;
const STEERED_NEEDLE_MS = 60; // while a slider is dragged the frames are for what it moves

const byId = (id) => document.getElementById(id);

class Page {
  constructor(state) {
    this.song = state.song;
    lookedAt(state.song.at);
    this.playing = state.playing;
    this.view = { screen: this.screen, scope: "stack", straight: false, voice: "", layer: 0, alternate: 0, groove: 0, lane: "all" };
    this.player = new Player();
    this.player.setStack(state.playing);
    this.edits = new Edits(state.song.id, state.song.revision, () => this.view);
    this.parked = new Parked(this.edits);
    this.rails = new Rails(this.edits, this);
    this.tryOut = new TryOut(this);
    this.side = new Side(this);
    this.grooves = new Grooves(this);
    this.rowTools = new RowTools(this.edits, this.rails);
    this.memory = new Memory(this);
    this.loops = new Loops(this.edits, this.player, this);
    this.kit = new KitScreen(this.edits, this.player, this);
    this.ideas = new Ideas(this);
    this.plan = new SongPlan(this);
    this.arrangement = new SongScreen(this);
    this.ribbon = new Ribbon(this);
    this.keys = new Keys(this);
    this.savedAt = Date.now();
    this.taps = [];
    this.listen();
    this.showHeader();
    this.arrive();
    this.draw();
    this.fetchStraightSoon();
    if (this.edits.seen > this.edits.revision) this.refresh(); // loaded while the last edit was still on its way
  }

  get screen() {
    return byId("screen").dataset.screen;
  }

  listen() {
    this.edits.addEventListener("state", ({ detail }) => {
      this.take(detail);
      if (!detail.more) this.askAgain();
    });
    this.edits.addEventListener("song", ({ detail }) => this.showHeader(detail));
    this.edits.addEventListener("waiting", ({ detail }) => this.showWaiting(detail));
    this.edits.addEventListener("failing", ({ detail }) => this.showFailing(detail));
    this.edits.addEventListener("parked", () => this.refresh()); // what was drawn of it already is taken back
    this.player.addEventListener("change", () => this.showPlaying());
    document.addEventListener("keydown", (event) => this.keyDown(event));
    document.addEventListener("keyup", (event) => this.keyUp(event));
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("input", (event) => this.input(event));
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("focusout", (event) => event.target.id === "song-name" && this.rename(event.target));
    window.addEventListener("popstate", () => {
      lookBack();
      this.redraw();
    });
    window.addEventListener("blur", () => this.letGo());
    document.addEventListener("pointerdown", (event) => {
      if (event.target.id === "tempo") this.dragTempo(event);
      if (event.target.dataset?.mix === "solo") this.holdSolo(event.target);
    });
    // What is pressed is not drawn anew under the finger: the press would be lost.
    document.addEventListener("pointerdown", (event) => (this.pressed = event.target), true);
    for (const name of ["pointerup", "pointercancel"]) document.addEventListener(name, () => setTimeout(() => this.letUp()), true);
    setInterval(() => this.showSaved(), 1000);
  }

  // A screen was drawn anew (at first, or by moving between screens): nothing that sounds is touched.
  arrive(state = null) {
    const newer = state && state.song.id === this.song.id && state.song.revision > this.edits.revision;
    if (newer || (state && this.untold)) {
      this.untold = false;
      this.edits.revision = Math.max(this.edits.revision, state.song.revision);
      this.showHeader(state.song);
      this.setPlaying(state.playing);
    }
    this.view.screen = this.screen;
    if (this.screen === "bench" && this.shown !== "bench" && this.shown) this.refresh();
    this.shown = this.screen;
    document.querySelectorAll("[data-screen-link]").forEach((link) => {
      const here = link.dataset.screenLink === this.screen;
      link.classList.toggle("on", here);
      if (here) link.setAttribute("aria-current", "page");
      else link.removeAttribute("aria-current");
    });
    paintAll();
    this.memory.close();
    this.rails.drawnAt = null;
    if (this.screen === "bench") this.rails.arrive();
    this.side.arrive();
    this.grooves.arrive();
    this.loops.arrive();
    this.kit.arrive();
    this.ideas.arrive();
    this.arrangement.arrive();
    this.keys.give();
  }

  setPlaying(playing) {
    this.playing = playing;
    if (!playing.straight) this.fetchStraightSoon();
    if (this.kit?.trial || this.tryOut?.now) return; // a sound is being tried in the beat; what is kept is heard when that ends
    if (this.player.mode !== "both" || !this.player.running) this.player.setStack(playing);
  }

  // Answers to edits bring what is felt; what lies on the grid comes when the hands rest, or when it is to be heard.
  fetchStraightSoon(wait_ms = 250) {
    clearTimeout(this.straightTimer);
    this.straightTimer = setTimeout(() => this.fetchStraight(), wait_ms);
  }

  async fetchStraight() {
    const { playing } = this;
    if (playing.straight || this.edits.queue.length) return;
    const answer = await ask(`/songs/${this.song.id}/straight`).catch(() => null);
    if (!answer?.ok) return;
    const { revision, ...columns } = await answer.json();
    if (playing !== this.playing || revision !== this.edits.revision) return;
    Object.assign(playing, columns);
    if (this.player.timing === "straight") this.player.setTiming("straight");
  }

  // Draw the screen again from the server, in place; what is asked for meanwhile is drawn once more at the end.
  async redraw(address = location.pathname) {
    if (address !== location.pathname) history.pushState({}, "", `${address}${location.search}`);
    this.drawAgain = true;
    if (this.drawing) return this.drawing;
    this.drawing = this.drawScreen();
    return this.drawing;
  }

  async drawScreen() {
    while (this.drawAgain) {
      this.drawAgain = false;
      const answer = await ask(location.pathname, { headers: { Accept: "text/html" } }).catch(() => null);
      if (!answer) showNote("Easy Pocket does not answer just now; what you see stays as it is.", { wrong: true });
      else if (!this.drawAgain) this.showScreen(new DOMParser().parseFromString(await answer.text(), "text/html"));
    }
    this.drawing = null;
  }

  // Put a page's screen in the place of the one shown; header, player and queue stay, so the sound goes on.
  showScreen(fresh) {
    byId("screen").replaceWith(document.adoptNode(fresh.getElementById("screen")));
    window.htmx.process(byId("screen"));
    document.title = fresh.title;
    byId("ledger-line").replaceChildren(...document.adoptNode(fresh.getElementById("ledger-line")).childNodes);
    this.arrive(JSON.parse(fresh.getElementById("song-state")?.textContent || "null"));
  }

  // Ask for the song as it is now.
  async refresh() {
    const query = new URLSearchParams(this.view);
    const turn = (this.refreshes = (this.refreshes ?? 0) + 1);
    const answer = await ask(`/songs/${this.song.id}/state?${query}`).catch(() => null);
    if (!answer?.ok || turn !== this.refreshes) return;
    const state = await answer.json();
    if (this.edits.queue.length || state.song.revision < this.edits.revision) {
      // An edit overtook it: what it shows is old. Ask again when the edits are through.
      this.refreshWanted = true;
      if (!this.edits.queue.length) this.askAgain();
      return;
    }
    this.edits.revision = state.song.revision;
    this.take({ state, item: {}, more: false });
  }

  askAgain() {
    if (!this.refreshWanted) return;
    this.refreshWanted = false;
    this.refresh();
  }

  take(answer) {
    const { state, item } = answer;
    const heard = this.kit.strike(state.screen === "kit" ? state.data : null, item);
    this.showHeader(state.song);
    this.untold = !state.playing; // the Song screen is not told what the pattern plays; the next screen is
    if (state.playing) this.setPlaying(state.playing);
    this.savedAt = Date.now();
    byId("banner").hidden = true;
    const turn = (this.turn = (this.turn ?? 0) + 1);
    this.waitsForEar = Boolean(heard);
    if (!heard) this.drawAnswer(answer);
    // The ear comes first: what moves is on the screen already, and the rest can wait for the sound a moment.
    else Promise.race([heard, new Promise((go) => setTimeout(go, EAR_FIRST_MS))]).then(() => turn === this.turn && this.drawAnswer(answer));
  }

  // What a slider of the feel would do, while it is dragged.
  showTried({ leans, note, pocket, playing }, field) {
    // Loops under the stack that follow it are rendered anew when the slider is let go, not for every step of the way.
    this.player.setStack({ ...playing, under: this.playing.under });
    if (this.screen !== "bench") return;
    if (!this.rails.busy) this.rails.lean(leans);
    const under = byId(`feel-note-${field}`);
    if (under) under.textContent = note;
    if (pocket) byId("pocket").innerHTML = pocket;
  }

  letUp() {
    this.pressed = null;
    if (!this.postponed) return;
    this.postponed = false;
    if (!this.edits.queue.length) this.refresh();
  }

  drawAnswer({ state, item, more }) {
    this.waitsForEar = false;
    if (state.screen === "bench" && !this.rails.busy) this.rails.take(state.data);
    const drawing = this.grooves.stroke;
    const steering = document.activeElement?.matches?.('#feel input[type="range"]:active, #feel .typed') || this.steering;
    for (const [id, html] of Object.entries(state.fragments)) {
      const target = byId(id);
      if (!target || (id === "feel" && steering) || (id === "rails" && this.rails.busy)) continue;
      if (id.startsWith("groove-") && (drawing || target.contains(document.activeElement) && document.activeElement.matches("input:not([type=range])"))) continue;
      if (id.startsWith("kit-") && (this.kit.busy || more || target.querySelector("input.typing"))) continue;
      if (this.pressed?.matches?.("button, button *, select, .check, .check *") && target.contains(this.pressed)) {
        this.postponed = true;
        continue;
      }
      const focused = document.activeElement?.id;
      const level = document.activeElement?.matches?.("input.level:active, input.pan:active");
      if (level && target.contains(document.activeElement)) continue;
      if (id === "tools" && target.querySelector(".menu input:focus, .menu:hover")) continue;
      target.innerHTML = html;
      if (focused && document.activeElement?.id !== focused) byId(focused)?.focus({ preventScroll: true });
      paintAll(target);
    }
    if (item.edit?.kind === "loop_beat") byId("beat-state").textContent = "They are on the Bench now.";
    if (this.screen === "loops" && !more && redrawsLoops(item)) this.redraw();
    if (state.fragments.ribbon) this.ribbon.draw();
    if (state.fragments.rails) {
      this.rails.showMode();
      this.rails.chooseBars(this.rails.bars);
    }
    if (state.screen === "song" && this.screen === "song") this.arrangement.take(state.data, item, state.added);
    this.plan.follow();
    if (state.screen === "grooves" && this.screen === "grooves") this.grooves.take(state.data, { made: state.made, more });
    if (this.rails.box) this.rails.later();
    if (!more) this.side.follow();
    if (!more && this.screen === "loops") this.loops.uses.follow();
    if (!more && this.screen === "ideas") this.ideas.follow();
    if (item.edit?.kind === "write") this.sound(item.edit.voice);
    this.kit.drawn(item);
    if (!more) this.memory.follow();
    if (state.words) byId("spoken").textContent = `${item.path}: ${state.words}`;
    if (state.words) showNote(`${item.path === "undo" ? "Undone" : "Done again"}: ${state.words}`, { near: byId(item.path) });
  }

  // Let a voice be heard: what was written when nothing plays, or what was pressed.
  sound(voice, always = false) {
    const strike = this.playing.strikes[voice];
    if (strike && (always || !this.player.running)) this.player.audition(strike.audio, strike.gain, strike.pan);
  }

  // Header ----------------------------------------------------------------------------------------------------------
  showHeader(song = this.song) {
    this.song = song;
    lookedAt(song.at);
    this.savedAt = Date.now();
    const name = byId("song-name");
    if (document.activeElement !== name) name.value = song.name;
    if (document.activeElement !== byId("tempo")) byId("tempo").value = song.tempo_bpm.toFixed(1);
    for (const step of ["undo", "redo"]) {
      byId(step).disabled = !song[step];
      byId(step).title = song[step] ? `${step === "undo" ? "Undo" : "Redo"}: ${song[step]}` : `Nothing to ${step}`;
    }
  }

  showSaved() {
    if (this.edits.queue.length) return;
    const seconds = Math.round((Date.now() - this.savedAt) / 1000);
    byId("saved").textContent = seconds < 3 ? "saved" : seconds < 90 ? `saved ${seconds} s ago` : `saved ${Math.round(seconds / 60)} min ago`;
  }

  showWaiting({ count, failing }) {
    if (!count) {
      byId("banner").hidden = true;
      this.savedAt = Date.now();
      byId("saved").textContent = "saved";
    } else {
      byId("saved").textContent = failing ? `${count} edit${count > 1 ? "s" : ""} waiting` : "saving…";
    }
  }

  showFailing({ words, count }) {
    byId("banner").textContent = `${words} ${count} edit${count > 1 ? "s are" : " is"} waiting.`;
    byId("banner").hidden = false;
  }

  showPlaying() {
    const { running } = this.player;
    byId("play").setAttribute("aria-pressed", running);
    byId("play").setAttribute("aria-label", running ? "Stop" : "Play");
    this.loops.showMode();
    if (running && !this.moving) this.draw();
    if (!running && this.player.mode === "both") this.player.stack = this.playing;
  }

  draw() {
    const position = this.player.position;
    const needle = byId("needle");
    if (position !== null) {
      const text = this.placeText(position);
      if (byId("position").textContent !== text) byId("position").textContent = text;
      this.drawNeedle(needle, position);
    } else {
      this.ribbon.needle(null);
      this.arrangement.needle(null);
      if (needle && !needle.hidden) needle.hidden = true;
      byId("position").textContent = "1.1.01";
    }
    // Nothing moves while nothing plays: then no frame is asked for.
    this.moving = position !== null;
    if (this.moving) requestAnimationFrame(() => this.draw());
  }

  // "6.3.02": bar, beat, 16th.
  placeText(position) {
    if (this.player.mode === "song") {
      const { bar, beat } = this.plan.place(position);
      return `${bar + 1}.${Math.floor(beat) + 1}.0${Math.floor((beat % 1) * 4) + 1}`;
    }
    const facts = this.player.mode === "loop" ? this.player.loop : this.player.stack;
    const beat = position / facts.beat_s;
    return `${Math.floor(beat / facts.beats) + 1}.${Math.floor(beat % facts.beats) + 1}.0${Math.floor((beat % 1) * 4) + 1}`;
  }

  // In the song: where the pattern that is looked at is, or null while another one plays.
  songTick(position) {
    const { span, within } = this.plan.place(position);
    const { start, cycle, plays } = this.rails.facts;
    if (span.section !== looking.section || !plays) return null;
    return (within * span.ticks + start) % cycle;
  }

  drawNeedle(needle, position) {
    this.ribbon.needle(this.player.mode === "song" ? this.plan.place(position) : null);
    this.arrangement.needle(this.player.mode === "song" ? position : null);
    if (!needle) return;
    if (this.screen === "loops" && this.player.usesLoop) {
      const loop = this.player.loop;
      let at = loop.start_s + (position % loop.length_s);
      if (loop.wraps) at %= loop.duration_s;
      this.loops.wave.turn(at);
      const share = this.loops.wave.percent(at);
      needle.hidden = share < 0 || share > 100;
      needle.style.left = `${share}%`;
    } else if (this.screen === "bench" && this.player.mode !== "loop" && this.rails.box) {
      const { start, end } = this.rails.look;
      const { msPerTick } = this.rails.facts;
      const stretch = this.player.stack.tempo_bpm / this.playing.tempo_bpm;
      const tick = this.player.mode === "song" ? this.songTick(position) ?? -1 : ((position * 1000) / msPerTick) * stretch;
      const rail = this.rails.box.querySelector("canvas.rail");
      needle.hidden = tick < start || tick >= end || !rail;
      const now = performance.now();
      if (needle.hidden || (this.player.steered && now - this.needleAt < STEERED_NEEDLE_MS)) return;
      this.needleAt = now;
      // On whole pixels: over many bars it moves less than one a frame, and a frame without change costs nothing.
      const x = Math.round(rail.offsetLeft + (rail.clientWidth * this.rails.percent(tick)) / 100);
      if (needle.dataset.x !== `${x}`) needle.style.transform = `translateX(${(needle.dataset.x = x)}px)`;
    } else {
      needle.hidden = true;
    }
  }

  setTempo(value, gesture = null) {
    const tempo = Number(String(value).replace(",", "."));
    const field = byId("tempo");
    const good = Number.isFinite(tempo) && tempo >= 20 && tempo <= 400;
    field.classList.toggle("wrong", !good);
    if (!good) {
      showNote(`'${value}' is no tempo that can be played: type a number from 20 to 400 bpm.`, { near: field, wrong: true });
      field.value = this.song.tempo_bpm.toFixed(1);
      field.classList.remove("wrong");
      return;
    }
    field.value = tempo.toFixed(1);
    if (tempo !== this.song.tempo_bpm) this.edits.push({ kind: "tempo", tempo_bpm: Math.round(tempo * 1000) / 1000 }, { gesture, near: field });
  }

  dragTempo(event) {
    const field = event.target;
    if (document.activeElement === field) return;
    event.preventDefault();
    const from = { y: event.clientY, tempo: this.song.tempo_bpm };
    const gesture = `tempo-${Date.now()}`;
    let moved = false;
    const move = (now) => {
      if (!moved && Math.abs(now.clientY - from.y) < 3) return;
      moved = true;
      const tempo = Math.max(20, Math.min(400, from.tempo + (from.y - now.clientY) * (now.shiftKey ? 0.1 : 0.5)));
      this.setTempo(tempo.toFixed(1), gesture);
    };
    const up = () => {
      document.removeEventListener("pointermove", move);
      if (!moved) {
        field.focus();
        field.select();
      }
    };
    document.addEventListener("pointermove", move);
    document.addEventListener("pointerup", up, { once: true });
  }

  tap() {
    const now = performance.now();
    if (this.taps.length && now - this.taps[this.taps.length - 1] > 2500) this.taps = [];
    this.taps.push(now);
    if (this.taps.length > 6) this.taps.shift();
    if (this.taps.length < 3) return;
    const between = (this.taps[this.taps.length - 1] - this.taps[0]) / (this.taps.length - 1);
    this.setTempo((60000 / between).toFixed(1), `tap-${this.taps[0]}`);
  }

  rename(field) {
    const name = field.value.trim();
    if (name === this.song.name) return;
    if (!name) {
      field.value = this.song.name;
      showNote("The name is empty: give it at least one letter.", { near: field, wrong: true });
    } else {
      this.edits.push({ kind: "name", name }, { near: field });
    }
  }

  setTiming(timing) {
    for (const name of ["felt", "straight"]) {
      byId(name).classList.toggle("on", name === timing);
      byId(name).setAttribute("aria-pressed", name === timing);
    }
    this.view.straight = timing === "straight";
    if (this.plan.playsSong) this.plan.fresh();
    if (this.view.straight && !this.playing.straight) this.fetchStraightSoon(0);
    this.player.setTiming(timing);
  }

  release() {
    this.setTiming(this.hold);
    this.hold = null;
  }

  setLength(bars) {
    this.edits.push({ kind: "length", bars }, { near: byId("tools") });
  }

  // A length in slots of the grid; odd ones too.
  typedLength(field) {
    const slots = Number(field.value.replace(",", "."));
    const ticks = Math.round(slots * this.rails.facts.step);
    if (Number.isFinite(slots) && ticks >= 10) this.edits.push({ kind: "length_ticks", length_ticks: ticks }, { near: field });
    else showNote(`'${field.value}' is no length: type a number of slots, 16 say.`, { near: field, wrong: true });
  }

  look(changes) {
    this.view = { ...this.view, ...changes };
    this.refresh();
  }

  // Clicks, sliders, keys -------------------------------------------------------------------------------------------
  click(event) {
    const link = event.target.closest?.("a[data-go]");
    if (link && event.button === 0 && !event.ctrlKey && !event.metaKey && !event.shiftKey) {
      event.preventDefault();
      if (link.getAttribute("href") !== location.pathname) this.redraw(link.getAttribute("href"));
      return;
    }
    const exported = event.target.closest?.("a[data-export]");
    if (exported) takeAway(exported, event);
    const button = event.target.closest?.("button");
    if (!button) return;
    const { dataset } = button;
    const actions = {
      play: () => this.togglePlay(),
      "play-song": () => this.plan.toggle(),
      "to-start": () => this.player.toStart(),
      undo: () => this.edits.step("undo"),
      redo: () => this.edits.step("redo"),
      tap: () => this.tap(),
      felt: () => this.setTiming("felt"),
      straight: () => this.setTiming("straight"),
      "loop-toggle": () => this.toggleLoop(button),
    };
    if (actions[button.id]) actions[button.id]();
    else if (dataset.help !== undefined) byId("shortcuts").hidden = !byId("shortcuts").hidden;
    else if (dataset.scope) {
      this.look({ scope: dataset.scope });
      if (button.closest(".rail-row")) this.sound(dataset.scope, true);
    }
    else if (dataset.lookPattern) this.lookAt({ pattern: Number(dataset.lookPattern) });
    else if (dataset.length) this.setLength(Number(dataset.length));
    else if (dataset.inherit) this.feel(dataset.inherit, null, button);
    else if (dataset.reroll !== undefined) this.feel("seed", 1 + Math.floor(Math.random() * 9998), button);
    else if (dataset.feelSet) this.feel(dataset.feelSet, Number(dataset.value), button);
    else if (dataset.mix) this.mix(button, button.getAttribute("aria-pressed") !== "true");
    else if (dataset.takeVoice !== undefined) this.edits.push({ kind: "voice", voice: voiceOf(button), there: false }, { near: button });
  }

  // Solo while the button is held; a short press turns it on and off.
  holdSolo(button) {
    const voice = voiceOf(button);
    if (button.getAttribute("aria-pressed") === "true") return;
    let held = false;
    const timer = setTimeout(() => {
      held = true;
      this.pressed = null; // what it does is to be seen while it is held
      this.edits.push({ kind: "mix", voice, field: "solo", value: true }, { near: button });
    }, HOLD_MS);
    const release = () => {
      clearTimeout(timer);
      if (!held) return;
      this.edits.push({ kind: "mix", voice, field: "solo", value: false }, { near: byId("rail-rows") });
      const swallow = (click) => {
        click.stopImmediatePropagation();
        click.preventDefault();
      };
      document.addEventListener("click", swallow, { capture: true, once: true });
      setTimeout(() => document.removeEventListener("click", swallow, { capture: true }), 60);
    };
    document.addEventListener("pointerup", release, { once: true });
  }

  togglePlay() {
    if (this.plan.on && !this.player.running && !this.player.starting) this.plan.play();
    else this.player.toggle();
  }

  // Look at another part, pattern or section: the screen and what is heard go there.
  lookAt(changes) {
    Object.assign(looking, changes);
    return this.refresh();
  }

  toggleLoop(button) {
    this.player.repeats = !this.player.repeats;
    button.classList.toggle("on", this.player.repeats);
    button.setAttribute("aria-pressed", this.player.repeats);
  }

  feel(field, value, near, gesture = null) {
    this.edits.push({ kind: "feel", scope: this.view.scope, field, value }, { gesture, near });
  }

  mix(element, value, gesture = null) {
    this.edits.push({ kind: "mix", voice: voiceOf(element), field: element.dataset.mix, value }, { gesture, near: element });
  }

  input(event) {
    const { target } = event;
    if (target.type !== "range") return;
    paint(target);
    this.gesture ??= `slide-${Date.now()}`;
    if (target.dataset.feel) {
      this.steering = true;
      const typed = document.querySelector(`.typed[data-feel="${target.dataset.feel}"]`);
      if (typed) typed.value = target.value;
      this.tryOut.steer(this.view.scope, target.dataset.feel, Number(target.value));
    } else if (target.dataset.mix) {
      this.mix(target, Number(target.value), this.gesture);
    }
  }

  change(event) {
    const { target } = event;
    if (target.type === "range") {
      this.steering = false;
      this.gesture = null;
      if (!target.dataset.feel) return;
      this.tryOut.keep();
      this.feel(target.dataset.feel, Number(target.value), target);
    } else if (target.matches(".typed[data-feel]")) {
      this.typed(target);
    } else if (target.dataset.feelSelect) {
      this.feel(target.dataset.feelSelect, target.value, target);
    } else if (target.dataset.feelCheck) {
      this.feel(target.dataset.feelCheck, JSON.parse(target.checked ? target.dataset.on : target.dataset.off), target);
    } else if (target.dataset.edit === "kit") {
      this.edits.push({ kind: "kit", kit_key: target.value }, { near: target });
    } else if (target.dataset.edit === "grid") {
      this.edits.push({ kind: "grid", grid: target.value }, { near: target });
    } else if (target.dataset.edit === "add-voice" && target.value) {
      this.edits.push({ kind: "voice", voice: target.value, there: true }, { near: target });
    } else if (target.dataset.edit === "voice-grid") {
      this.edits.push({ kind: "voice_grid", voice: this.rowTools.voice, grid: target.value }, { near: target });
    } else if (target.id === "length-typed") {
      this.typedLength(target);
    } else if (target.id === "tempo") {
      this.setTempo(target.value);
    }
  }

  typed(field) {
    const value = Number(field.value);
    const low = Number(field.min);
    const high = Number(field.max);
    const good = field.value !== "" && value >= low && value <= high;
    field.classList.toggle("wrong", !good);
    if (!good) showNote(`'${field.value}' does not fit here: type a number from ${low} to ${high}.`, { near: field, wrong: true });
    else {
      field.blur();
      this.feel(field.dataset.feel, value, field);
    }
  }

  keyDown(event) {
    if (event.key === "Enter" && event.target.id === "song-name") event.target.blur();
    if (event.key === "Enter" && event.target.id === "tempo") event.target.blur();
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z" && !isTyping(event.target)) {
      event.preventDefault();
      this.edits.step(event.shiftKey ? "redo" : "undo");
      return;
    }
    if (isTyping(event.target)) return;
    if (this.memory.key(event) || this.side.key(event) || this.grooves.key(event) || this.ideas.key(event) || this.arrangement.key(event) || this.rails.key(event) || this.loops.key(event) || this.kit.key(event)) {
      event.preventDefault();
      return;
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === " ") {
      if (isPressedBySpace(event.target)) return;
      event.preventDefault();
      this.togglePlay();
    } else if (event.key === "?") {
      byId("shortcuts").hidden = !byId("shortcuts").hidden;
    } else if (event.key === "Escape") {
      byId("shortcuts").hidden = true;
    } else if (event.key === "t") {
      this.tap();
    } else if (event.key === "h" && !event.repeat) {
      this.hold = this.player.timing;
      this.setTiming("straight");
    } else if (event.key === "x" && !event.repeat) {
      this.kit.beside(true);
    }
  }

  // Keys that are held do not say that they were let go elsewhere.
  letGo() {
    if (this.hold) this.release();
    if (this.kit.holding) this.kit.beside(false);
  }

  keyUp(event) {
    if (event.key === "h" && this.hold) this.release();
    if (event.key === "x" && this.kit.holding) this.kit.beside(false);
  }
}

// What changes the loop that is shown; taking a groove or the loop itself draws its own way.
function redrawsLoops(item) {
  return ["undo", "redo", "now"].includes(item.path) || item.edit?.kind === "loop_correct";
}

function voiceOf(element) {
  return element.closest(".rail-row").dataset.voice;
}

// Errors of forms that htmx sends are shown inside the form they belong to.
document.body.addEventListener("htmx:responseError", (event) => {
  const place = event.detail.elt.querySelector?.(".form-error");
  let words = "Easy Pocket does not answer just now; nothing was changed. Try again in a moment.";
  try {
    words = JSON.parse(event.detail.xhr.responseText).error;
  } catch {
    const page = new DOMParser().parseFromString(event.detail.xhr.responseText, "text/html");
    words = page.querySelector("section.empty p")?.textContent || words;
  }
  if (place) place.textContent = words;
  else showNote(words, { near: event.detail.elt, wrong: true });
});
document.body.addEventListener("htmx:sendError", (event) => showNote("Easy Pocket does not answer just now; nothing was changed. Try again in a moment.", { near: event.detail.elt, wrong: true }));

const state = byId("song-state");
if (state) {
  window.easyPocket = new Page(JSON.parse(state.textContent));
} else {
  document.addEventListener("click", (event) => {
    if (event.target.closest?.("[data-help]")) byId("shortcuts").hidden = !byId("shortcuts").hidden;
  });
}
