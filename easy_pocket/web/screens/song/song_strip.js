// The strip under the song: everything about what is chosen - a cell, a section, how it ends, a part, hits struck twice -
// set where it is read.

import { selection } from "../../shared/selection.js";
import { paintAll } from "../../shared/sliders.js";
import { focused, byId, MARKS, element, text } from "../../shared/dom.js";
import { setValue } from "./song_strip_values.js";
import { cycleGroups, drawMark, cycleMarks } from "./song_strip_cycle.js";

const CELL_FEEL = [["swing_percent", "swing %", 50, 75], ["push_ms", "push ms", -100, 100], ["density_percent", "density %", 0, 100], ["timing_pull", "timing pull %", 0, 100], ["drift_ms", "drift ms", 0, 20]];
const LEVEL = { min: -36, max: 6, step: 0.5 };

export class SongStrip {
  /** @type {any} */
  newBeats;
  /** @param {any} screen */
  constructor(screen) {
    this.screen = screen;
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("input", (event) => this.input(event));
    document.addEventListener("click", (event) => this.click(event));
  }

  get box() {
    return byId("plan-strip");
  }

  get chosen() {
    return this.screen.chosen;
  }

  // Drawn anew after every answer; what is being typed in stays as it is.
  draw() {
    if (!this.box || !this.chosen) return;
    const typing = this.box.contains(focused()) && focused().matches("input, select, textarea") ? focused() : null;
    const key = JSON.stringify(this.chosen);
    if (typing && typing.matches("textarea, input[type=range]:active") && this.drawnFor === key) return;
    const held = typing?.dataset.set;
    /** @type {any} */
    this.drawnFor = key;
    const groups = /** @type {Record<string, any>} */ ({ cell: () => this.cellGroups(), section: () => this.sectionGroups(), joins: () => this.joinGroups(), part: () => this.partGroups(), collisions: () => this.doubleGroups(), cycles: () => cycleGroups(this) })[this.chosen.kind]();
    this.box.replaceChildren(...groups);
    this.box.dataset.kind = this.chosen.kind;
    paintAll(this.box);
    if (held) this.box.querySelector(`[data-set="${held}"]`)?.focus({ preventScroll: true });
  }

  /**
   * @param {any} title
   * @param {any} children
   * @param {string} [className]
   */
  group(title, children, className = "") {
    return element("div", `plan-group ${className}`, [title instanceof Node ? title : text("h3", title), element("div", "plan-fields", children)]);
  }

  /**
   * @param {string | number} words
   * @param {any} set
   * @param {any} value
   * @param {any} [options]
   */
  field(words, set, value, { wide = "", placeholder = "", title = "" } = {}) {
    const input = element("input", `typed ${wide || "wide"}`);
    Object.assign(input, { value: value ?? "", placeholder, autocomplete: "off", title });
    input.dataset.set = set;
    return element("label", "plan-field", [text("small", words), input]);
  }

  /**
   * @param {string} words
   * @param {any} set
   * @param {any} options
   * @param {any} value
   */
  pick(words, set, options, value) {
    const select = element("select");
    select.dataset.set = set;
    for (const [key, name] of options) {
      const option = text("option", name);
      option.value = key;
      option.selected = `${key}` === `${value}`;
      select.append(option);
    }
    return element("label", "plan-field", [text("small", words), element("span", "select is-small", [select])]);
  }

  /**
   * @param {string} words
   * @param {any} act
   * @param {string} [title]
   * @param {string} [className]
   */
  button(words, act, title = "", className = "chip") {
    const button = text("button", words, className);
    button.type = "button";
    button.dataset.act = act;
    button.title = title;
    return button;
  }

  /**
   * @param {string} words
   * @param {any} set
   * @param {any} value
   */
  level(words, set, value) {
    const slider = element("input", "level-db");
    Object.assign(slider, { type: "range", ...LEVEL, value: Math.max(value, LEVEL.min) });
    slider.dataset.set = set;
    slider.setAttribute("aria-label", words);
    return element("label", "plan-field", [text("small", `${words} ${value} dB`), slider]);
  }

  // Of a cell --------------------------------------------------------------------------------------------------------
  cellGroups() {
    const section = this.screen.section(this.chosen.section);
    const part = this.screen.part(this.chosen.part);
    const cell = this.screen.cell(section.id, part.id);
    const patterns = [...part.patterns.map((/** @type {any} */ [id, name]) => [id, name]), ...(part.patterns.length > 1 ? [[0, "its order"]] : []), ["", "rest"]];
    const title = element("h3", "", [text("span", `${part.name} in ${section.name}`), text("b", cell.own ? "its own here" : section.parent ? `as in ${section.parent_name}` : "")]);
    const what = this.group(title, [
      this.pick("plays", "cell", patterns, cell.rest ? "" : cell.pattern),
      this.button("on the Bench", "bench", "Write it (e)"),
      ...(cell.rest ? [] : [this.button("new, a copy", "copy", "A new pattern like this one, played here only")]),
      ...(cell.own ? [this.button(`as in ${section.parent_name}`, "free", "Go along with the section this is a variation of")] : []),
      ...(section.parent && !cell.own ? [text("small", "goes along until it is changed here")] : []),
    ]);
    if (cell.rest) return [what];
    const voices = part.voices.map((/** @type {any} */ [voice, name]) => {
      const on = !cell.muted.includes(voice);
      const chip = this.button(name, "voice", on ? "Mute it in this section" : "Let it sound again", `chip voice-chip${on ? " on" : ""}`);
      chip.dataset.voice = voice;
      chip.setAttribute("aria-pressed", on);
      return chip;
    });
    const feel = CELL_FEEL.map(([name, words]) => this.field(words, `feel ${name}`, cell.feel[name], { placeholder: "–", title: "Empty: as the part has it" }));
    return [what, this.group("voices that sound", voices, "grow"), this.group("louder, softer", [this.level("level", "cell level", cell.level_db)]), this.group("feel set here", feel)];
  }

  copyPattern() {
    const { part, section } = this.chosen;
    const cell = this.screen.cell(section, part);
    this.waiting = { part, section };
    this.screen.push({ kind: "pattern_add", part_id: part, copy_of: cell.rest || !cell.pattern ? null : cell.pattern });
  }

  /** @param {any} pattern */
  set added(pattern) {
    if (!this.waiting) return;
    const { part, section } = this.waiting;
    this.waiting = null;
    this.screen.push({ kind: "cell_set", section_ids: [section], part_id: part, pattern });
  }

  // Of a section -----------------------------------------------------------------------------------------------------
  sectionGroups() {
    const section = this.screen.section(this.chosen.section);
    const { data } = this.screen;
    const last = section.id === data.sections.at(-1).id;
    const title = element("h3", "", [text("span", section.name), text("b", section.parent ? `a variation of ${section.parent_name}` : "")]);
    const what = this.group(title, [
      this.field("name", "section name", section.name, { wide: "wider" }),
      this.field("bars", "section bars", section.bars),
      this.field("times", "section repeats", section.repeats),
      this.field("tempo", "section tempo_bpm", section.tempo_bpm, { placeholder: data.tempo_bpm.toFixed(1) }),
      this.field("metre", "section metre", section.metre, { placeholder: data.metre }),
      this.pick("mark", "section mark", Object.entries(MARKS).map(([key, sign]) => [key, sign || "none"]), section.mark),
    ]);
    const own = section.own.filter((/** @type {string} */ name) => !name.startsWith("cell"));
    const does = this.group("do", [
      this.button("play it", "play", "Round and round (o)"),
      this.button("go to it", "jump", "At the next bar, while the song plays (j); at the end of what sounds: Shift j"),
      this.button("copy", "copy-section", "A copy after it (d)"),
      this.button("variation", "vary-section", "One that goes along with it"),
      ...(last ? [] : [this.button("join with the next", "join-next")]),
      this.button("remove section", "take-section", "Delete"),
      ...(section.parent ? [this.button("on its own", "free-section", "It no longer goes along")] : []),
      ...own.map((/** @type {string} */ name) => this.button(`${name.replace("_bpm", "")} as in ${section.parent_name}`, `give ${name}`)),
    ], "grow");
    const notes = element("textarea", "plan-notes");
    Object.assign(notes, { value: section.notes, placeholder: "notes", maxLength: 2000 });
    notes.dataset.set = "section notes";
    notes.setAttribute("aria-label", `Notes for ${section.name}`);
    return [what, does, this.group("notes", [notes], "grow"), ...(section.promise ? [element("p", "plan-pointed", [document.createTextNode(section.promise)])] : [])];
  }

  rename() {
    const field = this.box.querySelector('[data-set="section name"]');
    field?.focus();
    field?.select();
  }

  // How it ends ------------------------------------------------------------------------------------------------------
  joinGroups() {
    const section = this.screen.section(this.chosen.section);
    const { data } = this.screen;
    const parts = data.parts.map((/** @type {any} */ part) => [part.id, part.name]);
    const groups = section.joins.map((/** @type {any} */ join, /** @type {number} */ number) => {
      const part = this.screen.part(join.part);
      const set = (/** @type {string} */ name) => `join ${number} ${name}`;
      const fields = [];
      if (join.kind !== "drop") fields.push(this.pick("part", set("part"), parts, join.part));
      if (join.kind === "fill" || join.kind === "pickup") {
        fields.push(this.pick("plays", set("pattern"), part?.patterns.map((/** @type {any} */ [id, name]) => [id, name]) ?? [], join.pattern));
        fields.push(this.button("draw another", `redraw ${number}`, "Another one of the program's own"));
      }
      if (join.kind === "drop" || join.kind === "swell") fields.push(this.field("beats", set("beats"), join.beats ?? 1));
      if (join.kind === "crash" || join.kind === "swell") {
        fields.push(this.pick("sound", set("voice"), part?.crashes ?? [], join.voice), this.field("velocity", set("velocity"), join.velocity ?? 112));
      }
      if (join.kind === "swell") fields.push(this.field("gap ms", set("gap_ms"), join.gap_ms ?? 0), this.field("fade ms", set("fade_ms"), join.fade_ms ?? 0));
      if (join.kind === "drop") fields.push(text("small", "plays on:"));
      if (join.kind === "drop") for (const [id, name] of parts) fields.push(this.tick(name, set(`keep ${id}`), (join.keep ?? []).includes(id), "plays on"));
      fields.push(this.tick("last time only", set("last_only"), Boolean(join.last_only)));
      const title = element("h3", "", [text("span", data.joins[join.kind]), this.button("remove", `drop ${number}`, "", "plain")]);
      return this.group(title, fields);
    });
    const beats = this.field("beats", "new beats", this.newBeats ?? 2);
    const add = Object.entries(data.joins).map(([kind, words]) => this.button(`+ ${words}`, `add ${kind}`));
    return [this.group(`where ${section.name} ends`, [...add, beats], "grow"), ...groups];
  }

  /**
   * @param {string} words
   * @param {any} set
   * @param {boolean} on
   * @param {string} [title]
   */
  tick(words, set, on, title = "") {
    const box = element("input");
    Object.assign(box, { type: "checkbox", checked: on });
    box.dataset.set = set;
    return Object.assign(element("label", "check", [box, document.createTextNode(` ${words}`)]), { title });
  }

  // Of a part --------------------------------------------------------------------------------------------------------
  partGroups() {
    const part = this.screen.part(this.chosen.part);
    const { data } = this.screen;
    const others = data.parts.filter((/** @type {any} */ one) => one.id !== part.id).map((/** @type {any} */ one) => [one.id, one.name]);
    const what = this.group(part.name, [
      this.field("name", "part name", part.name, { wide: "wider" }),
      this.pick("kit", "part kit_key", Object.entries(data.kits), part.kit),
      this.level("level", "part level_db", part.level_db),
    ]);
    const turns = this.group("cycle", [
      this.field("cycle", "part cycle_ticks", part.said.cycle_ticks, { title: "3/8, 5 beats, 7 bars, 6 steps, or auto: as long as its pattern" }),
      this.pick("step", "part step_ticks", Object.entries(data.grids), part.step_ticks),
      this.field("begins after", "part start_shift_ticks", part.said.start_shift_ticks, { title: "Silent so long before its first cycle: 1 beat, 3/16" }),
      this.field("rotated by", "part rotation_ticks", part.said.rotation_ticks, { title: "What is there comes first: 1 step, 1 beat" }),
      this.pick("starts", "part restarts", [["true", "with every section"], ["false", "once, and runs free"]], part.restarts),
      this.field("bars", "part bars", part.said.bars, { title: "all, every 2nd, last of 4, or marks like 0011" }),
      cycleMarks(this, part),
      this.field("order", "part pattern_order", part.said.pattern_order, { title: "A A A B, for cells that play its order" }),
      this.field("varied %", "part change_percent", part.change_percent, { title: "So many of its cycles are played as a variation" }),
      this.field("seed", "part seed", part.seed),
      this.tick("joins' fills reach it", "part fills", part.fills),
    ], "wide");
    const voices = this.group("voices that sound", part.voices.map((/** @type {any} */ [voice, name]) => {
      const on = !part.muted.includes(voice);
      const chip = this.button(name, "part-voice", on ? "Mute it in this part" : "Let it sound again", `chip voice-chip${on ? " on" : ""}`);
      chip.dataset.voice = voice;
      chip.setAttribute("aria-pressed", on);
      return chip;
    }));
    const patterns = part.patterns.map((/** @type {any} */ [id, name]) => {
      const chip = this.button(name, `pattern ${id}`, "On the Bench");
      return chip;
    });
    const does = this.group("patterns, and what to do", [
      ...patterns,
      this.button("+ empty", "pattern-new"),
      ...(part.patterns.length > 1 ? [this.pick("remove pattern", "pattern take", [["", "…"], ...part.patterns.map((/** @type {any} */ [id, name]) => [id, name])], "")] : []),
      this.button("a part per voice", "split-part", "Every voice becomes a part of its own"),
      ...(others.length ? [this.pick("merge in", "part merge", [["", "…"], ...others], "")] : []),
      this.button("up", "part-up"), this.button("down", "part-down"),
      this.button("remove part", "take-part"),
    ], "grow");
    return [what, turns, voices, does];
  }

  // Struck twice -----------------------------------------------------------------------------------------------------
  doubleGroups() {
    const rows = this.screen.data.collisions.map((/** @type {any} */ one, /** @type {number} */ number) => {
      const choices = [["keep", "keep both"], ["drop", "drop the quieter"], ["offset", "set apart"]];
      return element("div", "plan-double", [text("span", one.words), this.pick("", `double ${number}`, choices, one.choice)]);
    });
    return [this.group("two parts on one sound at one moment", rows.length ? rows : [text("small", "none")], "grow")];
  }

  // What is set ------------------------------------------------------------------------------------------------------
  /** @param {any} options */
  input({ target }) {
    if (target.type !== "range" || !target.dataset?.set || !this.box?.contains(target)) return;
    this.gesture ??= `level-${Date.now()}`;
    const words = target.parentElement.querySelector("small");
    words.textContent = words.textContent.replace(/\S+ dB$/, `${target.value} dB`);
    paintAll(this.box);
    setValue(this, target, this.gesture);
  }

  /** @param {any} options */
  change({ target }) {
    if (!this.box?.contains(target) || target.dataset.set === undefined) return;
    if (target.type === "range") {
      /** @type {any} */
      this.gesture = null;
      return;
    }
    setValue(this, target);
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("[data-act]");
    if (!button || !this.box?.contains(button)) return;
    const [act, detail] = button.dataset.act.split(" ");
    const { section, part } = this.chosen;
    const push = (/** @type {any} */ edit) => this.screen.push(edit, button);
    /** @type {Record<string, any>} */
    const acts = {
      bench: () => this.screen.toBench(),
      copy: () => this.copyPattern(),
      free: () => push({ kind: "cell_free", section_id: section, part_id: part }),
      voice: () => push({ kind: "cell_mute", section_id: section, part_id: part, voice: button.dataset.voice, value: button.getAttribute("aria-pressed") === "true" }),
      play: () => this.screen.page.plan.playSection(section),
      jump: () => this.screen.page.plan.jump(section, event.shiftKey ? "end" : "bar"),
      "copy-section": () => push({ kind: "section_add", after_id: section, how: "copy" }),
      "vary-section": () => push({ kind: "section_add", after_id: section, how: "variation" }),
      "join-next": () => push({ kind: "section_join", section_id: section }),
      "take-section": () => push({ kind: "section_take", section_id: section }),
      "free-section": () => push({ kind: "section_free", section_id: section }),
      give: () => push({ kind: "section_set", section_id: section, field: detail, value: null }),
      add: () => this.addJoin(detail, button),
      drop: () => this.withoutJoin(Number(detail), button),
      redraw: () => this.drawFill(this.screen.section(section).joins[Number(detail)].kind, button, this.screen.section(section).joins[Number(detail)]),
      mark: () => drawMark(this, Number(detail)),
      "part-voice": () => push({ kind: "mix", voice: button.dataset.voice, field: "mute", value: button.getAttribute("aria-pressed") === "true" }),
      pattern: () => {
        selection.pattern = Number(detail);
        this.screen.toBench();
      },
      "pattern-new": () => push({ kind: "pattern_add", part_id: part }),
      "split-part": () => push({ kind: "part_split", part_id: part }),
      "part-up": () => push({ kind: "part_move", part_id: part, to: Math.max(0, this.placeOf(part) - 1) }),
      "part-down": () => push({ kind: "part_move", part_id: part, to: this.placeOf(part) + 1 }),
      "take-part": () => push({ kind: "part_take", part_id: part }),
    };
    acts[act]?.();
  }

  /** @param {any} part */
  placeOf(part) {
    return this.screen.data.parts.findIndex((/** @type {any} */ one) => one.id === part);
  }

  /**
   * @param {string} kind
   * @param {Piece} button
   */
  addJoin(kind, button) {
    const section = this.screen.section(this.chosen.section);
    if (kind === "fill" || kind === "pickup") {
      this.drawFill(kind, button);
      return;
    }
    const part = this.screen.part(this.chosen.part ?? selection.part) ?? this.screen.data.parts[0];
    const crash = part.crashes.find((/** @type {any} */ [voice]) => voice === "crash") ?? part.crashes.at(-1);
    const beats = this.newBeats ?? 2;
    const made = { drop: { kind, beats }, crash: { kind, part: part.id, voice: crash[0] }, swell: { kind, part: part.id, voice: crash[0], beats } }[kind];
    this.screen.push({ kind: "joins_set", section_id: section.id, joins: [...section.joins, made] }, button);
  }

  /**
   * A fill is drawn from a seed; asked for again, from another one.
   * @param {any} what
   * @param {Piece} button
   * @param {any} [join]
   */
  drawFill(what, button, join = null) {
    const { section } = this.chosen;
    this.seed = (this.seed ?? 0) + 1;
    const part = join?.part ?? this.chosen.part ?? selection.part;
    this.screen.push({ kind: "join_draw", section_id: section, part_id: part, what, beats: this.newBeats ?? 2, seed: this.seed, last_only: Boolean(join?.last_only) }, button);
  }

  /**
   * @param {number} number
   * @param {Piece} button
   */
  withoutJoin(number, button) {
    const section = this.screen.section(this.chosen.section);
    this.screen.push({ kind: "joins_set", section_id: section.id, joins: section.joins.filter((/** @type {any} */ _, /** @type {number} */ at) => at !== number) }, button);
  }
}
