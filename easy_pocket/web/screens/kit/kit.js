// The Kit screen: voices, the layers of one over a time axis, and what is heard of them. Python draws and decides;
// what is drawn here while a handle moves is provisional.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { Drags } from "../../shared/drags.js";
import { Library } from "./library.js";
import { showLedger, showNote, speak } from "../../shared/notes.js";
import { Screen } from "../../shared/screen.js";
import { SharedKit } from "./shared_kit.js";
import { alternates, down, goToAdded, move, moveVoice, reorder, up } from "./voice_handles.js";
import { bringKit } from "./kit_files.js";
import { addTips } from "../../shared/tip.js";
import { TIPS } from "./tips.js";

addTips(TIPS);

const SOUNDING = new Set(["kit_voice", "kit_layer", "kit_model", "kit_put", "kit_layer_off", "kit_fold", "kit_alternate_off", "kit_key"]);

export default class Kit extends Screen {
  /** @type {any} */
  moved;
  /** @type {any} */
  carried;
  /** @param {import("../../shared/page.js").Page} page */
  constructor(page) {
    super(page);
    this.edits = page.edits;
    this.player = page.player;
    /** @type {any} */
    this.handle = null;
    /** @type {{ alternate: number, layer: number } | null} */
    this.added = null; // a layer or an alternate that is to be worked on when it is there
    this.besideKey = sessionStorage.getItem("easy-pocket-beside") || "";
    this.drags = new Drags((/** @type {any} */ drag, /** @type {any} */ value, /** @type {any} */ gesture) => this.dragged(drag, value, gesture), "kit");
    this.library = new Library(this);
    this.shared = new SharedKit(page.edits, page);
    /** @type {ChildNode[] | null} */
    this.ledgerBefore = null;
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("keyup", (event) => event.key === "x" && this.holding && this.beside(false));
    window.addEventListener("blur", () => this.holding && this.beside(false));
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("focusout", (event) => this.typed(event.target, event.relatedTarget));
    document.addEventListener("pointerdown", (event) => down(this, event));
    document.addEventListener("pointermove", (event) => move(this, event));
    document.addEventListener("pointerup", () => up(this));
    for (const name of ["dragstart", "dragover", "drop"]) document.addEventListener(name, (event) => reorder(this, event));
  }

  get box() {
    return document.querySelector("[data-kit]");
  }

  get busy() {
    return this.handle !== null || this.drags.busy;
  }

  get facts() {
    const { role, alternate, layer, layers, axis, title } = document.querySelector(".kit-bar").dataset;
    return { role, alternate: Number(alternate), layer: Number(layer), layers: Number(layers), axis: Number(axis), title };
  }

  letGo() {
    return this.drags.letGo();
  }

  get work() {
    return byId("sounds");
  }

  get trial() {
    return this.trying ?? false;
  }

  unmount() {
    this.endTrial();
  }

  mount() {
    this.page.view = { ...this.page.view, voice: this.facts.role, layer: this.facts.layer, alternate: this.facts.alternate };
    this.showBeside();
    this.askBeside();
    this.library.mount();
  }

  /** @param {any} changes */
  look(changes) {
    this.added = null;
    this.endTrial();
    this.page.look({ ...changes });
  }

  /**
   * @param {any} _id
   * @param {Piece} target
   * @param {any} options
   */
  holds(_id, target, { more }) {
    return Boolean(this.busy || more || target.querySelector("input.typing"));
  }

  /**
   * An answer has redrawn the screen.
   * @param {any} options
   */
  apply({ item }) {
    this.showBeside();
    const { role, layer, alternate } = this.facts;
    const { view } = this.page;
    const moved = view.voice !== role || this.seen !== `${role} ${layer} ${alternate}`;
    this.seen = `${role} ${layer} ${alternate}`;
    // What was chosen since the answer was asked for stays chosen.
    /** @type {Record<string, any>} */
    const shown = { voice: role, layer, alternate };
    for (const [name, value] of Object.entries(shown)) if (!item.view || item.view[name] === view[name]) view[name] = value;
    if (moved) this.library.follow();
    else if (["kit_put", "kit_fold", "kit_alternate", "kit"].includes(item.edit?.kind) || item.path !== "edits") this.library.reload(true);
    goToAdded(this);
  }

  // Hearing ---------------------------------------------------------------------------------------------------------
  /**
   * What was just changed, when nothing plays.
   * @param {any} options
   */
  soundOf({ state, item }) {
    const hit = state.data;
    if (!hit || this.player.running || !SOUNDING.has(item.edit?.kind)) return null;
    return this.player.audition(hit.audio, hit.gain, hit.pan);
  }

  /**
   * A sound as it would be here, without keeping it.
   * @param {{ sound?: any, inBeat?: boolean }} what
   */
  async tryOut({ sound = null, inBeat = false }) {
    const { role, layer, alternate } = this.facts;
    const query = new URLSearchParams(/** @type {any} */ ({ voice: role, layer, alternate, sound_id: sound?.id ?? 0, in_beat: inBeat }));
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const answer = await ask(`/songs/${this.page.song.id}/kit/try?${query}`).catch(() => null);
    if (turn !== this.turn) return;
    const result = await answer?.json().catch(() => null);
    if (!answer?.ok) {
      showNote(result?.error || "Easy Pocket does not answer just now; try again in a moment.", { near: byId("sounds"), wrong: true });
      return;
    }
    if (!inBeat) {
      this.player.audition(result.hit.audio, result.hit.gain, result.hit.pan);
      return;
    }
    this.trying = true;
    this.player.setStack(result.playing);
    if (!this.player.running || this.player.mode === "loop") await this.player.start("stack");
  }

  endTrial() {
    if (!this.trial) return;
    this.trying = false;
    this.player.setStack(this.page.playing);
  }

  /**
   * @param {any} sound
   * @param {any} [asLayer]
   */
  put(sound, asLayer = false) {
    const { role, layer, alternate } = this.facts;
    this.trying = false;
    this.shared.push({ kind: "kit_put", role, layer: asLayer ? null : layer, alternate, sound_id: sound.id }, { near: byId(`sound-${sound.id}`) });
    if (!asLayer) return;
    this.added = { alternate, layer: Math.max(this.facts.layers, (this.added?.layer ?? 0) + 1) }; // pressed twice: the second
    this.page.view.layer = Math.min(this.added.layer, 3);
  }

  // Another kit under the same beat ---------------------------------------------------------------------------------
  showBeside() {
    const select = byId("beside");
    if (!select) return;
    if (![...select.options].some((option) => option.value === this.besideKey)) this.besideKey = select.options[0]?.value || "";
    select.value = this.besideKey;
  }

  // What the beat is on the other kit: asked for ahead, so that its sounds are ready when the key is pressed.
  async askBeside() {
    const key = this.besideKey;
    const { revision } = this.edits;
    if (this.other?.key === key && this.other.revision === revision) return true;
    /** @type {any} */
    const answer = await ask(`/songs/${this.page.song.id}/kit/beside?kit_key=${encodeURIComponent(key)}`).catch(() => null);
    /** @type {any} */
    const result = await answer?.json().catch(() => null);
    if (!answer?.ok) {
      if (this.holding) showNote(result?.error || "Easy Pocket does not answer just now; try again in a moment.", { near: byId("beside"), wrong: true });
      return false;
    }
    /** @type {any} */
    this.other = { ...result, key, revision };
    return true;
  }

  /** @param {boolean} on */
  async beside(on) {
    this.holding = on;
    if (!on) {
      this.player.setBeside(null);
      this.sayBeside("");
      return;
    }
    if (!(await this.askBeside()) || !this.holding) return;
    this.player.setBeside(this.other.playing);
    this.sayBeside(`${this.other.name}, ${this.other.gain_db >= 0 ? "+" : "−"}${Math.abs(this.other.gain_db).toFixed(1)} dB to be as loud`);
  }

  /** @param {string} words */
  sayBeside(words) {
    if (byId("kit-state")) byId("kit-state").textContent = words;
    const line = byId("ledger-line");
    if (words) {
      this.ledgerBefore ??= [...line.childNodes];
      showLedger(`heard now|${words}`);
    } else if (this.ledgerBefore) {
      line.replaceChildren(...this.ledgerBefore); // let go: it is heard no more
      this.ledgerBefore = null;
    }
  }

  // Clicks ----------------------------------------------------------------------------------------------------------
  /** @param {PageEvent} event */
  click(event) {
    if (!this.box) return;
    const line = event.target.closest?.("[data-kit-voice]");
    if (line) {
      this.look({ voice: line.dataset.kitVoice, layer: 0, alternate: 0 });
      return;
    }
    const layer = event.target.closest?.("[data-layer-line]");
    if (layer && !this.moved && !event.target.closest("button") && Number(layer.dataset.layerLine) !== this.facts.layer) {
      this.look({ layer: Number(layer.dataset.layerLine) });
      return;
    }
    const button = event.target.closest?.("button");
    if (button) this.press(button, button.dataset);
  }

  /**
   * @param {Piece} button
   * @param {any} dataset
   */
  press(button, dataset) {
    if (this.library.waits && button.matches("[data-layer-add], [data-alternate-add]")) {
      this.library.later(() => this.press(button, dataset));
      return;
    }
    const { role, alternate } = this.facts;
    const push = (/** @type {import("../../shared/shapes").Edit} */ edit) => this.shared.push(edit, { near: button });
    const sound = this.library.sound();
    const needsSound = (/** @type {any} */ edit, /** @type {string} */ words) => (sound ? push(edit(sound.id)) : showNote(words, { near: button }));
    if (dataset.playVoice) this.tryOut({ inBeat: dataset.playVoice === "beat" });
    else if (dataset.fold !== undefined) push({ kind: "kit_fold", role, name: byId("fold-name").value });
    else if (dataset.glyph) push({ kind: "kit_voice", role, field: "glyph", value: dataset.glyph });
    else if (dataset.layerSwitch) this.setLayer({ [dataset.layerSwitch]: button.getAttribute("aria-pressed") !== "true" }, null, button);
    else if (dataset.layerOff !== undefined) push({ kind: "kit_layer_off", role, layer: Number(dataset.layerOff), alternate });
    else if (dataset.layerAdd !== undefined) {
      if (sound) this.put(sound, true);
      else showNote("Choose a sound in the library at the right first; it becomes the new layer.", { near: button });
    } else if (dataset.propose !== undefined) {
      const values = { delay_ms: Number(dataset.delay), invert: dataset.invert === "true" };
      push({ kind: "kit_layer", role, layer: Number(dataset.propose), alternate, values });
    } else if (dataset.alternateShow !== undefined) this.look({ alternate: Number(dataset.alternateShow), layer: 0 });
    else if (dataset.alternateAdd !== undefined) {
      if (sound) this.added = { alternate: Math.max(...alternates(), this.added?.alternate ?? 0) + 1, layer: 0 };
      needsSound((/** @type {any} */ id) => ({ kind: "kit_alternate", role, sound_id: id }), "Choose a sound in the library at the right first; single hits can then ask for it.");
    }
    else if (dataset.alternateOff) push({ kind: "kit_alternate_off", role, alternate: Number(dataset.alternateOff) });
    else if (dataset.voiceOff !== undefined) push({ kind: "kit_voice_off", role });
    else if (dataset.voiceMove) moveVoice(this, role, Number(dataset.voiceMove), button);
    else if (dataset.kitNew) this.edits.push({ kind: "kit_new", source: dataset.kitNew, name: this.newName(dataset.kitNew) }, { near: button });
    else if (dataset.kitMidi !== undefined) push({ kind: "kit_midi" });
  }

  /** @param {any} source */
  newName(source) {
    const typed = byId("kit-name").value.trim();
    const now = byId("kit-name").defaultValue;
    return typed && typed !== now ? typed : source === "copy" ? `${now} copy` : "My kit";
  }

  /** @param {PageEvent} event */
  change(event) {
    const { target } = event;
    if (!this.box && target.id !== "kit-file") return;
    if (target.id === "beside") {
      this.besideKey = target.value;
      sessionStorage.setItem("easy-pocket-beside", target.value);
      this.askBeside();
    } else if (target.id === "kit-key") {
      this.shared.push({ kind: "kit_key", key_note: target.value === "" ? null : Number(target.value) }, { near: target });
    } else if (target.id === "key-step") {
      this.setVoice("key_step", target.value === "" ? null : Number(target.value), null, target);
    } else if (target.dataset.again !== undefined) {
      this.hitAgain(target);
    } else if (target.dataset.kitAdd !== undefined && target.value) {
      this.page.view = { ...this.page.view, voice: target.value, layer: 0, alternate: 0 };
      this.shared.push({ kind: "kit_voice_on", role: target.value }, { near: target });
    } else if (target.id === "kit-file" && target.files.length) {
      bringKit(this, target);
    }
  }

  /** @param {Piece} select */
  hitAgain(select) {
    const { value } = select;
    const gesture = `again-${Date.now()}`;
    const group = value.startsWith("group:") ? value.slice(6) : null;
    this.setVoice("choke_group", group, gesture, select);
    this.shared.push({ kind: "kit_voice", role: this.facts.role, field: "rings", value: value !== "cuts" }, { near: select });
  }

  /**
   * @param {any} field
   * @param {any} goingTo
   */
  typed(field, goingTo) {
    if (!this.box || !["kit-name", "voice-title"].includes(field.id)) return;
    const name = field.value.trim();
    if (name === field.defaultValue) return;
    if (field.id === "voice-title") this.setVoice("name", name, null, field);
    else if (goingTo?.closest?.("[data-kit-new]")) return; // "copy it" and "new kit" take the name
    else if (name) this.shared.push({ kind: "kit_name", name }, { near: field });
  }

  // Values ----------------------------------------------------------------------------------------------------------
  /**
   * @param {any} drag
   * @param {any} value
   * @param {any} gesture
   */
  dragged(drag, value, gesture) {
    const { drag: kind, field } = drag.dataset;
    if (kind === "voice") this.setVoice(field, value, gesture, drag);
    else if (kind === "layer") this.setLayer({ [field]: value }, gesture, drag);
    else {
      const { role, layer, alternate } = this.facts;
      this.shared.push({ kind: "kit_model", role, layer, alternate, control: field, value }, { gesture, near: drag });
    }
  }

  /**
   * @param {string} field
   * @param {any} value
   * @param {any} gesture
   * @param {any} near
   */
  setVoice(field, value, gesture, near) {
    this.shared.push({ kind: "kit_voice", role: this.facts.role, field, value }, { gesture, near });
  }

  /**
   * @param {any} values
   * @param {any} gesture
   * @param {Piece} near
   * @param {any} [layer]
   */
  setLayer(values, gesture, near, layer = this.facts.layer) {
    const { role, alternate } = this.facts;
    this.shared.push({ kind: "kit_layer", role, layer, alternate, values }, { gesture, near });
  }

  // Handles on the waveform -----------------------------------------------------------------------------------------

  // Order of the voices ---------------------------------------------------------------------------------------------

  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get everywhere() {
    return [{ keys: "x", words: "hold to hear the other kit", run: (/** @type {PageEvent} */ event) => event.repeat || void this.beside(true) }];
  }

  // Keys ------------------------------------------------------------------------------------------------------------
  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get keys() {
    const inVoices = () => Boolean(document.activeElement?.closest(".voice-list"));
    const layer = (/** @type {PageEvent} */ event) => Number(event.key) <= this.facts.layers && void this.look({ layer: Number(event.key) - 1 });
    return [
      { keys: "ArrowUp", when: inVoices, run: () => this.stepVoice(-1) },
      { keys: "ArrowDown", when: inVoices, run: () => this.stepVoice(1) },
      { keys: "PageUp", shows: "Page ↑ ↓", words: "the voice before, after", run: () => this.stepVoice(-1) },
      { keys: "PageDown", run: () => this.stepVoice(1) },
      { keys: "1-4", shows: "1 – 4", words: "a layer", run: layer },
      ...this.library.keys,
    ];
  }

  /** @param {number} by */
  stepVoice(by) {
    const lines = [...document.querySelectorAll("[data-kit-voice]")];
    const at = lines.findIndex((line) => line.dataset.kitVoice === this.facts.role);
    const line = lines[Math.max(0, Math.min(lines.length - 1, at + by))];
    speak(line.title);
    this.look({ voice: line.dataset.kitVoice, layer: 0, alternate: 0 });
  }
}
