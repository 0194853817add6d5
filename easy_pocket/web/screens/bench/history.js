// What the Bench remembers: steps in words, snapshots to compare with, and short lines to begin from.

import { byId } from "../../shared/dom.js";
import { ask as askServer } from "../../shared/api.js";
import { showLedger, showNote } from "../../shared/notes.js";

const GROUPS = { "": "all", kick: "kick", backbeat: "backbeat", hats: "hats", percussion: "percussion", break: "breaks", own: "your own" };

export class History {
  /**
   * @param {import("../../shared/page.js").Page} page
   * @param {any} rails
   */
  constructor(page, rails) {
    this.page = page;
    this.rails = rails;
    /** @type {any} */
    this.open = null;
    /** @type {any} */
    this.compared = null; // {one, other, marks, words}: two states side by side
    /** @type {any[]} */
    this.lines = [];
    this.asked = 0;
    /** @type {Record<string, any>} */
    this.answered = {}; // by what was asked for: the newest question that has its answer
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("input", (event) => event.target.id === "line-name" && this.showLines());
    document.addEventListener("change", (event) => event.target.matches?.("#compare-one, #compare-other") && this.compare());
    document.addEventListener("submit", (event) => this.submit(event));
  }

  get song() {
    return this.page.song.id;
  }

  get panel() {
    return byId("memory");
  }

  /**
   * A list that a newer answer overtook is old, and is not shown.
   * @param {string} path
   * @param {any} [body]
   */
  async ask(path, body = null) {
    const turn = (this.asked += 1);
    const [what] = path.split("/");
    const options = body ? { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(body) } : {};
    const answer = await askServer(`/songs/${this.song}/${path}`, options).catch(() => null);
    const result = await answer?.json().catch(() => null);
    if (answer?.ok) {
      const overtaken = !body && turn < (this.answered[what] ?? 0);
      this.answered[what] = Math.max(turn, this.answered[what] ?? 0);
      return overtaken ? null : result;
    }
    showNote(result?.error || "Easy Pocket does not answer just now; nothing was changed. Try again in a moment.", { near: this.panel, wrong: true });
    return null;
  }

  /** @param {string} kind */
  async show(kind) {
    if (this.open === kind) {
      this.close();
      return;
    }
    this.close();
    this.open = kind;
    this.panel.hidden = false;
    for (const part of this.panel.querySelectorAll("[data-memory-part]")) part.hidden = part.dataset.memoryPart !== kind;
    for (const button of document.querySelectorAll("[data-memory]")) button.setAttribute("aria-expanded", button.dataset.memory === kind);
    if (kind === "steps") await this.showSteps();
    else if (kind === "snapshots") await this.listSnapshots(await this.ask("snapshots"));
    else await this.loadLines();
  }

  close() {
    if (!this.open) return;
    this.open = null;
    if (this.panel) this.panel.hidden = true;
    for (const button of document.querySelectorAll("[data-memory]")) button.setAttribute("aria-expanded", "false");
    this.stopAudition();
    this.stopComparing();
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (!button) return;
    const { dataset } = button;
    if (dataset.memory) this.show(dataset.memory);
    else if (dataset.memoryClose !== undefined) this.close();
    else if (dataset.stepsBack) this.step("undo", Number(dataset.stepsBack));
    else if (dataset.stepsOn) this.step("redo", Number(dataset.stepsOn));
    else if (dataset.snapshotBack) this.page.edits.push({ kind: "snapshot_back", snapshot_id: Number(dataset.snapshotBack) }, { near: button });
    else if (dataset.snapshotAway) this.putAway(Number(dataset.snapshotAway), button);
    else if (dataset.lineGroup !== undefined) this.filter(dataset.lineGroup);
    else if (dataset.line) this.hear(dataset.line);
    else if (dataset.linePut) this.put(dataset.linePut);
    else if (dataset.lineAway) this.putLineAway(dataset.lineAway, button);
  }

  /** @param {PageEvent} event */
  submit(event) {
    if (event.target.id === "snapshot-form") {
      event.preventDefault();
      this.keepSnapshot(byId("snapshot-name"));
    } else if (event.target.id === "line-form") {
      event.preventDefault();
      this.keepLine(byId("line-keep-name"));
    }
  }

  // Steps ----------------------------------------------------------------------------------------------------------------
  async showSteps() {
    const result = await this.ask("changes");
    if (!result) return;
    const ahead = result.changes.filter((/** @type {any} */ change) => change.undone).length;
    const rows = result.changes.map((/** @type {any} */ change, /** @type {number} */ index) => {
      const line = document.createElement("button");
      line.type = "button";
      line.className = change.undone ? "memory-line undone" : "memory-line";
      line.textContent = change.words;
      if (change.undone) line.dataset.stepsOn = `${ahead - index}`;
      else if (index > ahead) line.dataset.stepsBack = `${index - ahead}`;
      else line.classList.add("now");
      line.title = change.undone ? "Done again up to here" : index > ahead ? "Back to here" : "Now";
      return line;
    });
    if (!rows.length) rows.push(words("Nothing was changed yet."));
    else if (result.changes.length < 400) rows.push(this.beginning(result.changes.length - ahead));
    byId("steps").replaceChildren(...rows);
  }

  /** @param {number} count */
  beginning(count) {
    const line = document.createElement("button");
    line.type = "button";
    line.className = "memory-line";
    line.textContent = "the song as it was made";
    if (count) line.dataset.stepsBack = String(count);
    return line;
  }

  /**
   * @param {string} path
   * @param {number} steps
   */
  step(path, steps) {
    this.page.edits.step(path, steps);
    this.stepped = true;
  }

  // After every answer: the lists follow the song.
  follow() {
    if (this.open === "steps") this.showSteps();
    if (this.open === "snapshots" && this.compared) this.compare();
  }

  // Snapshots --------------------------------------------------------------------------------------------------------------
  /** @param {any} field */
  async keepSnapshot(field) {
    const name = field.value.trim() || `take ${(this.snapshots?.length ?? 0) + 1}`;
    const result = await this.ask("snapshots", { name });
    if (!result) return;
    field.value = "";
    await this.listSnapshots(result, result.kept);
  }

  /**
   * @param {any} id
   * @param {Piece} button
   */
  async putAway(id, button) {
    const result = await this.ask(`snapshots/${id}`, { removed: true });
    if (!result) return;
    await this.listSnapshots(result);
    const back = async () => this.listSnapshots(await this.ask(`snapshots/${id}`, { removed: false }));
    showNote("The snapshot was put away.", { near: byId("snapshots") ?? button, actions: [["Put it back", back]] });
  }

  /**
   * @param {any} result
   * @param {any} [chosen]
   */
  async listSnapshots(result, chosen = null) {
    if (!result) return;
    this.snapshots = result.snapshots;
    byId("snapshots").replaceChildren(...(result.snapshots.length ? result.snapshots.map(snapshotLine) : [words("None yet: keep the pattern as it is now, then go on.")]));
    const before = [byId("compare-one").value, byId("compare-other").value];
    for (const [place, id] of ["compare-one", "compare-other"].entries()) {
      byId(id).replaceChildren(new Option("as it is now", "0"), ...result.snapshots.map((/** @type {any} */ row) => new Option(row.name, row.id)));
      byId(id).value = result.snapshots.some((/** @type {any} */ row) => String(row.id) === before[place]) ? before[place] : "0";
    }
    if (chosen && byId("compare-one").value === "0") byId("compare-other").value = String(chosen);
    else if (byId("compare-other").value === "0" && result.snapshots.length) byId("compare-other").value = String(result.snapshots.at(-1).id);
    await this.compare();
  }

  async compare() {
    const [one, other] = [byId("compare-one").value, byId("compare-other").value];
    const result = await this.ask(`compare?one=${one}&other=${other}`);
    if (!result || this.open !== "snapshots") return;
    this.compared = { ...result, now: one === "0" };
    const list = result.words.map(words);
    if (!list.length) list.push(words(one === other ? "Choose two to compare." : "No difference."));
    else if (result.count > list.length) list.push(words(`and ${result.count - list.length} more`));
    byId("differences").replaceChildren(...list);
    this.mark();
    this.hearSide(this.side ?? "one");
  }

  // Rings round what was changed or added since, dashes where something has gone.
  mark() {
    const { rails } = this;
    const { compared } = this;
    rails.marks.differs = compared && new Set(compared.marks.filter((/** @type {any} */ { kind }) => kind !== "added").map((/** @type {any} */ { voice, tick }) => `${voice} ${tick}`));
    rails.marks.missing = null;
    if (compared?.now) {
      const missing = new Map();
      for (const { kind, voice, tick } of compared.marks) if (kind === "added") missing.set(voice, [...(missing.get(voice) ?? []), { tick, offset: 0, played: 90 }]);
      rails.marks.missing = missing;
    }
    rails.later();
  }

  // One key changes sides, in place, while it plays.
  changeSides() {
    if (!this.compared) return false;
    this.hearSide(this.side === "other" ? "one" : "other");
    return true;
  }

  /** @param {any} side */
  hearSide(side) {
    this.side = side;
    const plain = side === "one" && this.compared.now;
    this.page.player.setBeside(plain ? null : this.compared[side]);
    const name = byId(`compare-${side}`).selectedOptions[0].text;
    byId("heard-side").textContent = `heard: ${name}`;
    for (const one of ["one", "other"]) byId(`compare-${one}`).closest(".compare-side").classList.toggle("on", one === side);
    showLedger(`compare|heard: ${name}|c changes sides`);
  }

  stopComparing() {
    if (!this.compared) return;
    this.compared = null;
    this.side = null;
    this.page.player.setBeside(null);
    this.mark();
  }

  // Lines --------------------------------------------------------------------------------------------------------------------
  async loadLines() {
    const result = await this.ask("lines");
    if (!result) return;
    this.lines = result.lines;
    this.group ??= "";
    this.showLines();
    byId("line-list").focus({ preventScroll: true });
  }

  /** @param {any} group */
  filter(group) {
    this.group = group;
    this.showLines();
    byId("line-list").focus({ preventScroll: true });
  }

  get shown() {
    const wanted = (byId("line-name")?.value ?? "").trim().toLowerCase();
    return this.lines.filter((line) => (!this.group || (this.group === "own" ? line.own : line.group === this.group)) && (!wanted || `${line.name} ${line.metre} ${line.voices.join(" ")}`.toLowerCase().includes(wanted)));
  }

  showLines() {
    byId("line-groups").replaceChildren(...Object.entries(GROUPS).map(([key, name]) => {
      const button = document.createElement("button");
      button.type = "button";
      button.dataset.lineGroup = key;
      button.textContent = name;
      button.className = key === this.group ? "on" : "";
      button.setAttribute("aria-pressed", key === this.group);
      return button;
    }));
    const rows = this.shown.map((line) => lineRow(line, line.key === this.heard));
    byId("line-list").replaceChildren(...(rows.length ? rows : [words(this.group === "own" ? "None of yours yet: choose hits and keep them below." : "No line fits.")]));
  }

  /**
   * A line in tempo on the kit of the part, at once if something plays, else from its start.
   * @param {string} key
   */
  async hear(key) {
    this.heard = key;
    this.showLines();
    byId("line-list").querySelector(".on")?.scrollIntoView({ block: "nearest" });
    const result = await this.ask(`lines/${encodeURIComponent(key)}/playing`);
    if (!result || this.heard !== key || this.open !== "lines") return;
    await this.page.player.setBeside(result);
    if (!this.page.player.running) {
      this.startedHere = true;
      await this.page.player.start("stack");
      await this.page.player.setBeside(result);
    }
  }

  stopAudition() {
    if (!this.heard) return;
    this.heard = null;
    this.page.player.setBeside(null);
    if (this.startedHere) this.page.player.stop();
    this.startedHere = false;
  }

  /** @param {string} key */
  put(key) {
    this.stopAudition();
    this.showLines();
    const { rails } = this;
    const bar = rails.facts.bar;
    const start_tick = rails.bars ? (rails.bars.from - 1) * bar : 0;
    rails.push({ kind: "put_line", key, start_tick }, { near: byId("memory") });
  }

  /** @param {any} field */
  async keepLine(field) {
    const { rails } = this;
    const hits = rails.chosen.hits;
    if (!hits.length) {
      showNote("Choose the hits to keep first: draw a frame round them, or w for the whole row.", { near: field, wrong: true });
      return;
    }
    const { bar, length } = rails.facts;
    const ticks = hits.map((/** @type {any} */ { tick }) => tick);
    const start = Math.floor(Math.min(...ticks) / bar) * bar;
    const end = Math.min(length, (Math.floor(Math.max(...ticks) / bar) + 1) * bar);
    const rows = hits.map((/** @type {import("../../shared/rail_data.js").Hit} */ hit) => [hit.voice, hit.tick - start, hit.velocity, hit.own, hit.asked, rails.chosen.bare(hit)]);
    const name = field.value.trim() || `line ${this.lines.filter((line) => line.own).length + 1}`;
    const result = await this.ask("lines", { name, length_ticks: Math.max(10, end - start), hits: rows });
    if (!result) return;
    field.value = "";
    this.lines = result.lines;
    this.filter("own");
  }

  /**
   * @param {string} key
   * @param {Piece} button
   */
  async putLineAway(key, button) {
    const result = await this.ask(`lines/${encodeURIComponent(key)}`, { removed: true });
    if (!result) return;
    this.lines = result.lines;
    this.showLines();
    const back = async () => {
      this.lines = (await this.ask(`lines/${encodeURIComponent(key)}`, { removed: false }))?.lines ?? this.lines;
      this.showLines();
    };
    showNote("The line was put away.", { near: byId("line-list") ?? button, actions: [["Put it back", back]] });
  }

  // Arrow keys step through the lines and play them, Enter puts one in.
  get keys() {
    const inPanel = () => Boolean(this.open && this.panel?.contains(document.activeElement));
    const inLines = () => inPanel() && this.open === "lines";
    const step = (/** @type {number} */ by) => {
      const { shown } = this;
      if (shown.length) this.hear(shown[Math.max(0, Math.min(shown.length - 1, this.at + by))].key);
      return shown.length > 0;
    };
    return [
      { keys: "c", words: "change sides while comparing snapshots", run: () => Boolean(this.changeSides()) },
      { keys: "Escape", when: inPanel, run: () => this.leave() },
      { keys: "ArrowDown", when: inLines, run: () => step(1) },
      { keys: "ArrowUp", when: inLines, run: () => step(-1) },
      { keys: "ArrowRight", when: () => inLines() && this.at >= 0, run: () => this.hear(this.shown[this.at].key) },
      { keys: "Enter", when: () => inLines() && this.at >= 0, run: () => this.put(this.shown[this.at].key) },
    ];
  }

  // The line that was heard last.
  get at() {
    return this.shown.findIndex((line) => line.key === this.heard);
  }

  leave() {
    this.close();
    byId("rail-rows")?.focus({ preventScroll: true });
  }
}

/** @param {string} text */
function words(text) {
  const line = document.createElement("p");
  line.className = "memory-words";
  line.textContent = text;
  return line;
}

/** @param {any} options */
function snapshotLine({ id, name }) {
  const row = document.createElement("div");
  row.className = "memory-row";
  const label = document.createElement("b");
  label.textContent = name;
  row.append(label, pressing("back to it", { snapshotBack: id }), pressing("put away", { snapshotAway: id }));
  return row;
}

/**
 * @param {string} text
 * @param {any} data
 */
function pressing(text, data) {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "plain";
  button.textContent = text;
  Object.assign(button.dataset, data);
  return button;
}

const SVG = "http://www.w3.org/2000/svg";

/**
 * @param {any} line
 * @param {boolean} on
 */
function lineRow(line, on) {
  const row = document.createElement("div");
  row.className = on ? "line-row on" : "line-row";
  const hear = document.createElement("button");
  hear.type = "button";
  hear.className = "line-hear";
  hear.dataset.line = line.key;
  hear.tabIndex = -1;
  hear.setAttribute("aria-pressed", on);
  const name = document.createElement("b");
  name.textContent = line.name;
  const facts = document.createElement("small");
  facts.textContent = `${line.metre}${line.swung ? " swung" : ""} · ${line.voices.join(", ")}`;
  hear.append(picture(line), name, facts);
  row.append(hear, pressing("put in", { linePut: line.key }));
  if (line.own) row.append(pressing("put away", { lineAway: line.key }));
  return row;
}

/** @param {any} line */
function picture(line) {
  const svg = document.createElementNS(SVG, "svg");
  svg.setAttribute("viewBox", "0 0 84 26");
  svg.setAttribute("aria-hidden", "true");
  const rows = Math.max(1, line.voices.length);
  for (const [at, voice, level] of line.picture) {
    const stroke = document.createElementNS(SVG, "path");
    const base = 25 - (rows - 1 - voice) * (26 / rows);
    stroke.setAttribute("d", `M${2 + at * 81} ${base}v${-Math.max(2, level * (26 / rows - 3))}`);
    svg.append(stroke);
  }
  return svg;
}
