// What the Bench remembers: steps in words, snapshots to compare with, and short lines to begin from.

import { byId } from "../../shared/dom.js";
import { ask as askServer } from "../../shared/api.js";
import { showLedger, showNote } from "../../shared/notes.js";
import { filter, hear, keepLine, loadLines, put, putLineAway, showLines } from "./line_list.js";
import { snapshotLine, words } from "./history_rows.js";

export class History {
  /** @type {any} */
  group;
  /** @type {any} */
  heard;
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
    document.addEventListener("input", (event) => event.target.id === "line-name" && showLines(this));
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
    else await loadLines(this);
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
    else if (dataset.lineGroup !== undefined) filter(this, dataset.lineGroup);
    else if (dataset.line) hear(this, dataset.line);
    else if (dataset.linePut) put(this, dataset.linePut);
    else if (dataset.lineAway) putLineAway(this, dataset.lineAway, button);
  }

  /** @param {PageEvent} event */
  submit(event) {
    if (event.target.id === "snapshot-form") {
      event.preventDefault();
      this.keepSnapshot(byId("snapshot-name"));
    } else if (event.target.id === "line-form") {
      event.preventDefault();
      keepLine(this, byId("line-keep-name"));
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
    showNote("The snapshot was removed.", { near: byId("snapshots") ?? button, actions: [["Put it back", back]] });
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

  get shown() {
    const wanted = (byId("line-name")?.value ?? "").trim().toLowerCase();
    return this.lines.filter((line) => (!this.group || (this.group === "own" ? line.own : line.group === this.group)) && (!wanted || `${line.name} ${line.metre} ${line.feel || "straight"} ${line.voices.join(" ")}`.toLowerCase().includes(wanted)));
  }

  stopAudition() {
    if (!this.heard) return;
    this.heard = null;
    this.page.player.setBeside(null);
    if (this.startedHere) this.page.player.stop();
    this.startedHere = false;
  }

  // Arrow keys step through the lines and play them, Enter puts one in.
  get keys() {
    const inPanel = () => Boolean(this.open && this.panel?.contains(document.activeElement));
    const inLines = () => inPanel() && this.open === "lines";
    const step = (/** @type {number} */ by) => {
      const { shown } = this;
      if (shown.length) hear(this, shown[Math.max(0, Math.min(shown.length - 1, this.at + by))].key);
      return shown.length > 0;
    };
    return [
      { keys: "c", words: "change sides while comparing snapshots", run: () => Boolean(this.changeSides()) },
      { keys: "ArrowDown", when: inLines, run: () => step(1) },
      { keys: "ArrowUp", when: inLines, run: () => step(-1) },
      { keys: "ArrowRight", when: () => inLines() && this.at >= 0, run: () => hear(this, this.shown[this.at].key) },
      { keys: "Enter", when: () => inLines() && this.at >= 0, run: () => put(this, this.shown[this.at].key) },
    ];
  }

  // The line that was heard last.
  get at() {
    return this.shown.findIndex((line) => line.key === this.heard);
  }

  /** @returns {boolean} whether it was open */
  leave() {
    if (!this.open) return false;
    this.close();
    byId("rail-rows")?.focus({ preventScroll: true });
    return true;
  }
}
