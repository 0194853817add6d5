// The Song screen: parts by sections as cells that are edited in place. What the cells say comes from Python; here they
// are laid out, chosen, dragged and stepped through.

import { ask, newEditId } from "../../shared/api.js";
import { looking } from "../../shared/selection.js";
import { showLedger, showNote } from "../../shared/notes.js";
import { Screen } from "../../shared/screen.js";
import { SongMenu } from "./song_menu.js";
import { MARKS, element, text } from "../../shared/dom.js";
import { SongStrip } from "./song_strip.js";

const SVG = "http://www.w3.org/2000/svg";
const LEAST_PX = 92; // a section narrower than this would cut its name off
const DRAG_PX = 5;

const byId = (id) => document.getElementById(id);

export default class Song extends Screen {
  constructor(page) {
    super(page);
    this.chosen = null; // {kind: "cell", section, part} | {kind: "section", section} | {kind: "part", part} | ...
    this.strip = new SongStrip(this);
    this.menu = new SongMenu(this);
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("pointerdown", (event) => this.pointerDown(event));
    document.addEventListener("dblclick", (event) => this.doubleClick(event));
  }

  get box() {
    return document.querySelector("[data-arr]");
  }

  get grid() {
    return byId("arr-grid");
  }

  get sections() {
    return this.data.sections;
  }

  unmount() {
    this.data = null;
  }

  apply({ state, item }) {
    this.take(state.data, item, state.added);
  }

  showSection(section) {
    this.choose({ kind: "section", section: Number(section.dataset.section) });
  }

  // Bars that are played round and round, from the first to the last; null: none.
  showLoop(bars) {
    if (!this.data || this.dragging) return;
    this.span = bars;
    this.showSpan();
  }

  mount() {
    if (!this.page.player.running) {
      this.page.plan.on = true;
      this.page.plan.show();
    }
    this.drawn = new Map();
    this.grid.replaceChildren();
    this.take(JSON.parse(byId("arr-data").textContent));
    if (!this.chosen || !this.exists(this.chosen)) this.choose({ kind: "cell", section: this.data.seen.section, part: this.data.seen.part }, false);
  }

  push(edit, near = null, gesture = null) {
    this.page.edits.push(edit, { near: near ?? byId("arr-strip"), gesture });
  }

  section(id) {
    return this.data.sections.find((one) => one.id === id);
  }

  part(id) {
    return this.data.parts.find((one) => one.id === id);
  }

  cell(section, part) {
    return this.data.cells[section]?.[part];
  }

  exists({ kind, section, part, loop }) {
    if (section !== undefined && !this.section(section)) return false;
    if (part !== undefined && !this.part(part)) return false;
    return kind !== "loop" || this.data.loops.some((one) => one.id === loop);
  }

  // What an edit made of it.
  take(data, item = null, added = null) {
    const before = this.data;
    this.data = data;
    this.wanted = item?.edit?.kind;
    if (before && this.wanted === "section_add") this.choose({ kind: "section", section: this.newOne(before.sections, data.sections) }, false);
    if (before && ["part_add", "part_copy"].includes(this.wanted)) this.choose({ kind: "part", part: this.newOne(before.parts, data.parts) }, false);
    if (added && item?.edit?.kind === "pattern_add") this.strip.added = added;
    if (this.chosen && !this.exists(this.chosen)) this.chosen = { kind: "section", section: data.seen.section };
    this.draw();
  }

  newOne(before, after) {
    const known = new Set(before.map((one) => one.id));
    return (after.find((one) => !known.has(one.id)) ?? after[0]).id;
  }

  // Drawing ----------------------------------------------------------------------------------------------------------
  draw() {
    const { data, grid } = this;
    const minutes = Math.floor(data.length_s / 60);
    byId("arr-length").textContent = `${data.bars} bar${data.bars === 1 ? "" : "s"} · ${minutes ? `${minutes} min ` : ""}${Math.round(data.length_s % 60)} s`;
    byId("arr-together").textContent = data.parts.length > 1 ? data.together : "";
    byId("arr-together").hidden = data.parts.length < 2;
    byId("arr-doubles").hidden = !data.doubles.length;
    byId("arr-doubles").textContent = `${data.doubles.length} struck twice`;
    byId("arr-flat").textContent = data.written ? "back to the sections" : "write the song out flat";
    byId("arr-flat").dataset.arrFlat = data.written ? "back" : "flat";
    grid.style.gridTemplateColumns = `var(--head) ${data.sections.map((one) => `minmax(${LEAST_PX}px, ${one.bars}fr)`).join(" ")}`;
    grid.style.minWidth = `calc(var(--head) + ${data.sections.length * (LEAST_PX + 4)}px)`;
    grid.style.gridTemplateRows = `58px 46px repeat(${data.parts.length}, minmax(46px, ${data.parts.length > 2 ? "1fr" : "150px"})) ${data.loops.map(() => "minmax(40px, .7fr)").join(" ")} minmax(40px, auto)`;
    const wanted = new Map();
    this.energyRow(wanted);
    this.headRow(wanted);
    data.parts.forEach((part, number) => this.partRow(wanted, part, number + 3));
    data.loops.forEach((loop, number) => this.loopRow(wanted, loop, data.parts.length + 3 + number));
    this.joinRow(wanted, data.parts.length + data.loops.length + 3);
    for (const [key, { element }] of this.drawn) {
      if (wanted.has(key)) continue;
      element.remove();
      this.drawn.delete(key);
    }
    for (const [key, { row, column, words, make }] of wanted) {
      const known = this.drawn.get(key);
      const text = JSON.stringify(words);
      let element = known?.element;
      if (!known || known.text !== text) {
        const fresh = make();
        const focused = element?.contains(document.activeElement);
        if (element) element.replaceWith(fresh);
        else grid.append(fresh);
        element = fresh;
        if (focused) element.focus({ preventScroll: true });
        this.drawn.set(key, { element, text });
      }
      element.style.gridRow = row;
      element.style.gridColumn = column;
    }
    this.inOrder([...wanted.keys()]);
    this.showSpan();
    this.showChosen();
    this.strip.draw();
  }

  // In the page's order too, for those who step or listen through it.
  inOrder(keys) {
    const focused = document.activeElement;
    keys.forEach((key, place) => {
      const { element: one } = this.drawn.get(key);
      if (this.grid.children[place] !== one) this.grid.insertBefore(one, this.grid.children[place] ?? null);
    });
    if (this.grid.contains(focused) && document.activeElement !== focused) focused.focus({ preventScroll: true });
  }

  energyRow(wanted) {
    const { energy, sections } = this.data;
    wanted.set("energy", {
      row: 1, column: 1, words: "energy",
      make: () => element("div", "arr-side", [text("b", "energy"), text("small", "density, level, brightness")]),
    });
    for (const [number, section] of sections.entries()) {
      const bars = slice(energy, section);
      wanted.set(`energy ${section.id}`, { row: 1, column: number + 2, words: bars, make: () => this.energyCell(section, bars) });
    }
  }

  energyCell(section, bars) {
    const box = element("div", "arr-energy");
    box.dataset.energy = section.id;
    const count = bars.total.length;
    const step = (values, most) => values.map((value, bar) => `${bar ? "L" : "M"}${bar} ${60 - (value / most) * 56}H${bar + 1}`).join("");
    const svg = document.createElementNS(SVG, "svg");
    svg.setAttribute("viewBox", `0 0 ${count} 60`);
    svg.setAttribute("preserveAspectRatio", "none");
    const area = `M0 60${bars.total.map((value, bar) => `L${bar} ${60 - value * 0.56}H${bar + 1}`).join("")}V60Z`;
    svg.append(path(area, "area"), path(step(bars.level, 1), "loud"), path(step(bars.brightness, 1), "bright"));
    box.append(svg);
    const mean = (values) => values.reduce((sum, value) => sum + value, 0) / values.length;
    box.title = `${section.name}: ${mean(bars.density).toFixed(1)} hits a beat, mean velocity ${Math.round(mean(bars.level) * 127)}, ${Math.round(mean(bars.brightness) * 100)} % bright${section.promise ? `. ${section.promise}` : ""}`;
    if (section.promise) box.append(text("span", "no more than before", "arr-promise"));
    return box;
  }

  headRow(wanted) {
    wanted.set("heads", { row: 2, column: 1, words: "heads", make: () => element("div", "arr-side arr-corner", [text("small", "sections")]) });
    for (const [number, section] of this.sections.entries()) {
      wanted.set(`head ${section.id}`, { row: 2, column: number + 2, words: section, make: () => this.head(section) });
    }
  }

  head(section) {
    const changes = [section.tempo_bpm && `${section.tempo_bpm} bpm`, section.metre].filter(Boolean).join(" ");
    const head = element("button", "arr-head", [
      text("b", `${MARKS[section.mark]} ${section.name}`.trim()),
      text("small", `${section.bars} bar${section.bars === 1 ? "" : "s"} ×${section.repeats}${changes ? ` · ${changes}` : ""}`),
    ]);
    head.type = "button";
    head.dataset.head = section.id;
    head.setAttribute("role", "columnheader");
    if (section.parent) head.append(text("span", "↳", "arr-link"));
    if (section.notes) head.append(text("span", "✎", "arr-noted"));
    head.title = [section.parent ? `a variation of ${section.parent_name}` : "", section.notes].filter(Boolean).join(" · ");
    return head;
  }

  partRow(wanted, part, row) {
    wanted.set(`part ${part.id}`, { row, column: 1, words: part, make: () => this.partHead(part) });
    for (const [number, section] of this.sections.entries()) {
      const cell = this.cell(section.id, part.id);
      wanted.set(`cell ${section.id} ${part.id}`, { row, column: number + 2, words: [cell, part.mute, section.bars], make: () => this.cellBox(section, part, cell) });
    }
  }

  partHead(part) {
    const name = element("button", "arr-part", [text("b", part.name), text("small", `${part.kit_name} · ${part.words}`)]);
    name.type = "button";
    name.dataset.part = part.id;
    name.title = `${part.name}: ${part.kit_name}, ${part.words}`;
    const buttons = ["mute", "solo"].map((what) => {
      const button = text("button", what === "mute" ? "M" : "S");
      button.type = "button";
      button.dataset.partSwitch = what;
      button.setAttribute("aria-pressed", part[what]);
      button.setAttribute("aria-label", `${what} ${part.name}`);
      button.title = what === "mute" ? "Mute the part" : "Hear this part alone";
      return button;
    });
    const box = element("div", "arr-side arr-part-box", [name, element("span", "ms", buttons)]);
    box.dataset.partBox = part.id;
    box.setAttribute("role", "rowheader");
    return box;
  }

  cellBox(section, part, cell) {
    const marks = cell.rest ? "" : [cell.muted.length ? `−${cell.muted.length}` : "", cell.level_db ? `${cell.level_db > 0 ? "+" : "−"}${Math.abs(cell.level_db)} dB` : "", Object.keys(cell.feel).length ? "feel" : ""].filter(Boolean).join(" ");
    const box = element("button", "arr-cell", [text("b", cell.rest ? "–" : cell.name), text("small", marks)]);
    box.type = "button";
    box.dataset.cell = `${section.id} ${part.id}`;
    box.setAttribute("role", "gridcell");
    box.setAttribute("aria-label", `${part.name} in ${section.name}: ${cell.rest ? "rests" : `plays ${cell.name}`}${cell.own ? ", its own here" : ""}`);
    box.classList.toggle("rest", cell.rest);
    box.classList.toggle("own", cell.own);
    box.classList.toggle("silent", part.mute);
    if (cell.strokes) box.append(strokesOf(cell.strokes));
    else if (!cell.rest) box.append(text("span", "nothing written yet: e writes it on the Bench", "arr-hint"));
    return box;
  }

  loopRow(wanted, loop, row) {
    wanted.set(`loop ${loop.id}`, {
      row, column: 1, words: loop,
      make: () => element("div", "arr-side", [text("b", loop.name), text("small", "loop, under the stack")]),
    });
    for (const [number, section] of this.sections.entries()) {
      const there = this.loopPlays(loop, section);
      wanted.set(`loop ${loop.id} ${section.id}`, { row, column: number + 2, words: [there, loop.level_db], make: () => this.loopCell(loop, section, there) });
    }
  }

  loopPlays(loop, section) {
    if (loop.muted) return false;
    if (loop.sections.length) return loop.sections.includes(section.id);
    const last = section.first_bar + section.bars * section.repeats - 1;
    return last >= loop.from_bar && (!loop.to_bar || section.first_bar <= loop.to_bar);
  }

  loopCell(loop, section, there) {
    const box = element("button", "arr-cell loop", [text("b", there ? "plays" : "–"), text("small", there ? `${loop.level_db} dB` : "")]);
    box.type = "button";
    box.dataset.loopCell = `${section.id} ${loop.id}`;
    box.setAttribute("role", "gridcell");
    box.setAttribute("aria-pressed", there);
    box.setAttribute("aria-label", `${loop.name} in ${section.name}: ${there ? "plays" : "rests"}`);
    box.classList.toggle("rest", !there);
    return box;
  }

  joinRow(wanted, row) {
    wanted.set("joins", { row, column: 1, words: "joins", make: () => element("div", "arr-side", [text("b", "joins"), text("small", "how a section ends")]) });
    for (const [number, section] of this.sections.entries()) {
      wanted.set(`join ${section.id}`, {
        row, column: number + 2, words: section.join_words,
        make: () => {
          const box = element("button", "arr-join", section.join_words.map((words) => text("span", words)));
          box.type = "button";
          box.dataset.join = section.id;
          box.title = section.join_words.join(", ");
          box.setAttribute("aria-label", `How ${section.name} ends: ${section.join_words.join(", ") || "nothing special"}`);
          if (!section.join_words.length) box.append(text("span", "+", "arr-plus"));
          return box;
        },
      });
    }
  }

  // Where the song is: a thread through the grid, and in the section that sounds.
  needle(at) {
    if (!this.box || !this.data) return;
    const position = this.page.player.mode === "song" ? at : null;
    let thread = byId("arr-needle");
    if (position === null) {
      if (thread) thread.hidden = true;
      return;
    }
    if (!thread) {
      thread = element("div", "arr-needle");
      thread.id = "arr-needle";
      this.grid.append(thread);
    }
    const { span, within } = this.page.plan.place(position);
    const head = this.drawn.get(`head ${span.section}`)?.element;
    thread.hidden = !head;
    if (!head) return;
    const x = Math.round(head.offsetLeft + head.offsetWidth * within);
    if (thread.dataset.x !== `${x}`) thread.style.transform = `translateX(${(thread.dataset.x = x)}px)`;
    if (this.sounding !== span.section) {
      this.sounding = span.section;
      for (const { element: one } of this.drawn.values()) one.classList.toggle("sounds", Number(one.dataset.head) === span.section);
      head.classList.add("sounds");
    }
  }

  // Choosing ---------------------------------------------------------------------------------------------------------
  choose(chosen, focus = true) {
    this.chosen = chosen;
    if (chosen.section !== undefined && chosen.section !== looking.section) Object.assign(looking, { section: chosen.section, pattern: 0 });
    if (chosen.part !== undefined && chosen.part !== looking.part) Object.assign(looking, { part: chosen.part, pattern: 0 });
    const cell = chosen.kind === "cell" ? this.cell(chosen.section, chosen.part) : null;
    if (cell && !cell.rest && cell.pattern) looking.pattern = cell.pattern;
    this.menu.close();
    this.showChosen();
    this.page.ribbon?.draw();
    this.strip.draw();
    if (focus) this.elementOf(chosen)?.focus({ preventScroll: false });
    this.say();
  }

  say() {
    const { chosen } = this;
    const section = this.section(chosen.section);
    if (chosen.kind === "cell") {
      const part = this.part(chosen.part);
      const cell = this.cell(chosen.section, chosen.part);
      showLedger(`${part.name} in ${section.name}||${cell.rest ? "rests" : `plays ${cell.name}`}${cell.own ? " · its own here" : section.parent ? ` · as in ${section.parent_name}` : ""}|bars ${section.first_bar} to ${section.first_bar + section.bars * section.repeats - 1}`);
    } else if (section) showLedger(`${section.name}||${section.bars} bars ×${section.repeats}|from bar ${section.first_bar}${section.promise ? ` · ${section.promise}` : ""}`);
  }

  elementOf(chosen) {
    const key = { cell: `cell ${chosen.section} ${chosen.part}`, section: `head ${chosen.section}`, joins: `join ${chosen.section}`, part: `part ${chosen.part}` }[chosen.kind];
    const found = this.drawn.get(key)?.element;
    return chosen.kind === "part" ? found?.querySelector("[data-part]") : found;
  }

  showChosen() {
    const { chosen } = this;
    if (!chosen) return;
    for (const { element: one } of this.drawn.values()) one.classList.remove("on", "here");
    for (const { element: one } of this.drawn.values()) {
      if (chosen.section !== undefined && Number(one.dataset.head) === chosen.section) one.classList.add("here");
    }
    const at = this.elementOf(chosen);
    (chosen.kind === "part" ? at?.parentElement : at)?.classList.add("on");
    byId("arr-doubles")?.setAttribute("aria-pressed", chosen.kind === "doubles");
    byId("arr-doubles")?.classList.toggle("on", chosen.kind === "doubles");
  }

  // Pointer ----------------------------------------------------------------------------------------------------------
  click(event) {
    if (!this.box || !this.data) return;
    if (this.dragged) {
      this.dragged = false;
      return;
    }
    const of = (name) => event.target.closest?.(`[data-${name}]`);
    const cell = of("cell");
    const loop = of("loop-cell");
    if (cell && this.grid.contains(cell)) {
      const [section, part] = cell.dataset.cell.split(" ").map(Number);
      const again = this.chosen?.kind === "cell" && this.chosen.section === section && this.chosen.part === part;
      this.choose({ kind: "cell", section, part });
      if (again && event.detail === 1) this.menu.open(cell, section, part);
    } else if (loop) {
      const [section, id] = loop.dataset.loopCell.split(" ").map(Number);
      this.push({ kind: "under_cell", loop_id: id, section_id: section, there: loop.classList.contains("rest") }, loop);
    } else if (of("head")) this.choose({ kind: "section", section: Number(of("head").dataset.head) });
    else if (of("join")) this.choose({ kind: "joins", section: Number(of("join").dataset.join) });
    else if (of("part-switch")) this.partSwitch(of("part-switch"));
    else if (of("part")) this.choose({ kind: "part", part: Number(of("part").dataset.part), section: this.chosen?.section });
    else if (of("cycles")) this.choose({ kind: "cycles", section: this.chosen?.section });
    else if (of("energy")) this.page.plan.playSection(Number(of("energy").dataset.energy));
    else if (of("arr-show")) this.choose({ kind: "doubles", section: this.chosen?.section });
    else if (of("arr-flat")) this.push({ kind: of("arr-flat").dataset.arrFlat === "back" ? "song_back" : "song_flat" }, of("arr-flat"));
    else if (of("arr-section")) this.push({ kind: "section_add", after_id: this.chosen?.section ?? 0, how: of("arr-section").dataset.arrSection }, of("arr-section"));
    else if (of("arr-stages")) this.stages(of("arr-stages"));
    else if (of("arr-add")) this.addPart(of("arr-add"));
    else if (!of("arr-menu")) this.menu.close();
  }

  doubleClick(event) {
    if (!this.box || !this.data) return;
    const head = event.target.closest?.("[data-head]");
    const cell = event.target.closest?.("[data-cell]");
    if (head) this.strip.rename();
    if (cell) this.toBench();
  }

  partSwitch(button) {
    const id = Number(button.closest("[data-part-box]").dataset.partBox);
    this.push({ kind: "part_set", part_id: id, field: button.dataset.partSwitch, value: button.getAttribute("aria-pressed") !== "true" }, button);
  }

  stages(button) {
    const [stages, bars] = ["stage-count", "stage-bars"].map((id) => Math.round(Number(byId(id).value)));
    if (stages >= 1 && bars >= 1) this.push({ kind: "section_stages", section_id: this.chosen.section, stages, bars, way: button.dataset.arrStages }, button);
    else showNote("Type how many stages there are to be, and how many bars each has.", { near: button, wrong: true });
  }

  addPart(button) {
    const kit_key = byId("add-kit").value;
    if (button.dataset.arrAdd === "empty") this.push({ kind: "part_add", kit_key }, button);
    else this.push({ kind: "part_copy", part_id: this.chosen?.part ?? this.data.seen.part, kit_key }, button);
  }

  change({ target }) {
    if (!this.box || !this.data) return;
    if (target.id === "add-line" && target.value) this.push({ kind: "part_add", kit_key: byId("add-kit").value, line: target.value }, target);
    else if (target.id === "add-loop" && target.value) this.push({ kind: "part_add", kit_key: byId("add-kit").value, loop_id: Number(target.value) }, target);
    else if (target.dataset.arrMidi !== undefined && target.files.length) this.upload(target);
    else return;
    if (target.tagName === "SELECT") target.value = "";
  }

  async upload(field) {
    const [file] = field.files;
    const query = new URLSearchParams({ name: file.name.slice(-80), by: field.dataset.arrMidi, kit_key: byId("add-kit").value, revision: this.page.edits.revision, edit_id: newEditId() });
    const answer = await ask(`/songs/${this.page.song.id}/song/upload?${query}`, { method: "POST", headers: { "Content-Type": "application/octet-stream", Accept: "application/json" }, body: file }).catch(() => null);
    const told = await answer?.json().catch(() => null);
    field.value = "";
    if (!answer?.ok) {
      showNote(told?.error ?? "Easy Pocket does not answer just now; nothing was added.", { near: field.closest("label"), wrong: true });
      return;
    }
    showNote(told.words, { near: byId("undo") });
    await this.page.refresh();
  }

  // Drag a cell along its row to copy it, a head along the others to move its section.
  pointerDown(event) {
    if (!this.box || !this.data || event.button !== 0) return;
    if (event.target.closest?.("[data-energy]")) this.drawSpan(event);
    const from = event.target.closest?.("[data-cell], [data-head]");
    if (!from || !this.grid.contains(from)) return;
    const start = { x: event.clientX, y: event.clientY };
    let over = [];
    const move = (now) => {
      if (!this.dragging && Math.hypot(now.clientX - start.x, now.clientY - start.y) < DRAG_PX) return;
      this.dragging = true;
      for (const one of over) one.classList.remove("copied", "before", "after");
      over = from.dataset.cell ? this.cellsBetween(from, now.clientX) : this.headAt(from, now.clientX);
    };
    const up = () => {
      document.removeEventListener("pointermove", move);
      for (const one of over) one.classList.remove("copied", "before", "after");
      if (!this.dragging) return;
      this.dragging = false;
      this.dragged = true; // the click that ends the drag chooses nothing
      setTimeout(() => (this.dragged = false), 0);
      if (!over.length) return;
      if (from.dataset.cell) {
        const [section, part] = from.dataset.cell.split(" ").map(Number);
        this.push({ kind: "cell_copy", part_id: part, from_id: section, to_ids: over.map((one) => Number(one.dataset.cell.split(" ")[0])) }, from);
      } else this.push({ kind: "section_move", section_id: Number(from.dataset.head), to: this.dropAt }, from);
    };
    document.addEventListener("pointermove", move);
    document.addEventListener("pointerup", up, { once: true });
  }

  // Draw over the energy to go round a span of bars.
  drawSpan(event) {
    const begin = this.barAt(event.clientX);
    const start = event.clientX;
    const move = (now) => {
      if (!this.dragging && Math.abs(now.clientX - start) < DRAG_PX) return;
      this.dragging = true;
      const end = this.barAt(now.clientX);
      this.span = [Math.min(begin, end), Math.max(begin, end)];
      this.showSpan();
    };
    const up = () => {
      document.removeEventListener("pointermove", move);
      if (!this.dragging) return;
      this.dragging = false;
      this.dragged = true;
      setTimeout(() => (this.dragged = false), 0);
      this.page.plan.loopBars(...this.span);
    };
    document.addEventListener("pointermove", move);
    document.addEventListener("pointerup", up, { once: true });
  }

  // The bar of the song (from 1) under a place of the screen.
  barAt(x) {
    for (const section of this.sections) {
      const box = this.drawn.get(`energy ${section.id}`).element.getBoundingClientRect();
      const all = section.bars * section.repeats;
      if (x < box.right || section === this.sections.at(-1)) return section.first_bar + Math.max(0, Math.min(all - 1, Math.floor(((x - box.left) / box.width) * all)));
    }
    return 1;
  }

  // Which bars are gone round, marked along the energy.
  showSpan() {
    const [first, last] = this.span ?? [0, -1];
    for (const section of this.sections) {
      const box = this.drawn.get(`energy ${section.id}`).element;
      const all = section.bars * section.repeats;
      const from = Math.max(0, first - section.first_bar);
      const to = Math.min(all, last - section.first_bar + 1);
      let mark = box.querySelector(".arr-span");
      if (!mark) box.append((mark = element("span", "arr-span")));
      mark.hidden = to <= from;
      mark.style.left = `${(100 * from) / all}%`;
      mark.style.width = `${(100 * Math.max(0, to - from)) / all}%`;
    }
  }

  cellsBetween(from, x) {
    const [section, part] = from.dataset.cell.split(" ").map(Number);
    const begin = this.sections.findIndex((one) => one.id === section);
    const columns = this.sections.map((one) => this.drawn.get(`cell ${one.id} ${part}`).element);
    let end = columns.findIndex((one) => x < one.getBoundingClientRect().right);
    if (end < 0) end = columns.length - 1;
    const chosen = columns.filter((_, number) => number !== begin && number >= Math.min(begin, end) && number <= Math.max(begin, end));
    for (const one of chosen) one.classList.add("copied");
    return chosen;
  }

  headAt(from, x) {
    const heads = this.sections.map((one) => this.drawn.get(`head ${one.id}`).element);
    const own = heads.indexOf(from);
    let at = heads.findIndex((one) => x < one.getBoundingClientRect().left + one.offsetWidth / 2);
    if (at < 0) at = heads.length;
    this.dropAt = at > own ? at - 1 : at;
    if (this.dropAt === own) return [];
    const mark = heads[Math.min(at, heads.length - 1)];
    mark.classList.add(at < heads.length ? "before" : "after");
    return [mark];
  }

  toBench() {
    this.page.redraw(`/songs/${this.page.song.id}/bench`);
  }

  // Keys -------------------------------------------------------------------------------------------------------------
  get keys() {
    const here = () => {
      const { activeElement: focused } = document;
      const free = !focused || focused === document.body || focused.id === "screen" || this.grid.contains(focused);
      return Boolean(this.box && this.data && this.chosen) && free;
    };
    const rows = [...this.walking, ...this.ofCells, ...this.ofSections].map((row) => ({ ...row, when: () => here() && (!row.when || row.when()) }));
    return [...this.menu.keys, ...rows];
  }

  get walking() {
    const { plan } = this.page;
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    return [
      { keys: Object.keys(by).join(" "), shows: "arrows", words: "from cell to cell", run: (event) => this.step(by[event.key], false) },
      { keys: Object.keys(by).map((name) => `Shift+${name}`).join(" "), shows: "Shift ← →", words: "copy the cell along, move the section", run: (event) => this.step(by[event.key], true) },
      { keys: "b", words: "play from here", run: () => plan.playBar(this.section(this.chosen.section)?.first_bar ?? 1) },
      { keys: "o", words: "play it round", run: () => plan.playSection(this.chosen.section) },
      { keys: "j", words: "go there at the next bar (Shift: at its end)", run: () => plan.jump(this.chosen.section, "bar") },
      { keys: "J", run: () => plan.jump(this.chosen.section, "end") },
    ];
  }

  get ofCells() {
    const push = (edit) => this.push({ part_id: this.chosen.part, ...edit });
    const flip = (field) => push({ kind: "part_set", field, value: !this.part(this.chosen.part)[field] });
    const cell = (pattern) => push({ kind: "cell_set", section_ids: [this.chosen.section], pattern });
    const nth = (event) => this.part(this.chosen.part).patterns[Number(event.key) - 1];
    return [
      { keys: "1-9", shows: "1 – 9, 0", words: "the cell's pattern, a rest", run: (event) => nth(event) && cell(nth(event)[0]) },
      { keys: "0 Delete Backspace", run: () => cell(null) },
      { keys: "Enter", words: "the cell's menu; a section's name", run: () => this.menu.open(this.elementOf(this.chosen), this.chosen.section, this.chosen.part) },
      { keys: "m", shows: "m, s", words: "mute, solo the part", run: () => flip("mute") },
      { keys: "s", run: () => flip("solo") },
      { keys: "e", words: "to the Bench", run: () => this.toBench() },
    ].map((row) => ({ ...row, when: () => this.chosen.kind === "cell" }));
  }

  get ofSections() {
    const by = (field, more) => {
      const section = this.section(this.chosen.section);
      const value = this.soonToBe(section, field) + more; // presses in quick succession add up
      if (value >= 1) this.push({ kind: "section_set", section_id: section.id, field, value });
    };
    return [
      { keys: "+", shows: "+ − * /", words: "bars, repeats of the section", run: () => by("bars", 1) },
      { keys: "- −", run: () => by("bars", -1) },
      { keys: "*", run: () => by("repeats", 1) },
      { keys: "/", run: () => by("repeats", -1) },
      { keys: "Enter", run: () => this.strip.rename() },
      { keys: "d", words: "a copy of the section", run: () => this.push({ kind: "section_add", after_id: this.chosen.section, how: "copy" }) },
      { keys: "Delete", words: "take the section away", run: () => this.push({ kind: "section_take", section_id: this.chosen.section }) },
    ].map((row) => ({ ...row, when: () => this.chosen.kind === "section" }));
  }

  step([across, down], shifted) {
    const { chosen } = this;
    const at = Math.max(0, this.sections.findIndex((one) => one.id === chosen.section));
    const rows = ["section", ...this.data.parts.map((one) => one.id), "joins"];
    const row = chosen.kind === "cell" ? rows.indexOf(chosen.part) : chosen.kind === "joins" ? rows.length - 1 : chosen.kind === "part" ? rows.indexOf(chosen.part) : 0;
    const next = this.sections[Math.max(0, Math.min(this.sections.length - 1, at + across))];
    if (shifted && across && chosen.kind === "section") {
      this.push({ kind: "section_move", section_id: chosen.section, to: at + across });
      return;
    }
    if (shifted && across && chosen.kind === "cell" && next.id !== chosen.section) {
      this.push({ kind: "cell_copy", part_id: chosen.part, from_id: chosen.section, to_ids: [next.id] });
    }
    const to = rows[Math.max(0, Math.min(rows.length - 1, row + down))];
    if (to === "section") this.choose({ kind: "section", section: next.id });
    else if (to === "joins") this.choose({ kind: "joins", section: next.id });
    else this.choose({ kind: "cell", section: next.id, part: to });
  }

  // A field as it will be when the edits that wait are made.
  soonToBe(section, field) {
    const waiting = this.page.edits.queue.findLast(({ edit }) => edit?.kind === "section_set" && edit.section_id === section.id && edit.field === field);
    return waiting?.edit.value ?? section[field];
  }

  // What has the keys: the chosen cell, or the first one.
  get work() {
    return (this.chosen && this.elementOf(this.chosen)) || this.grid;
  }
}

function slice(energy, section) {
  const from = section.first_bar - 1;
  const to = from + section.bars * section.repeats;
  return Object.fromEntries(Object.entries(energy).map(([name, values]) => [name, values.slice(from, to)]));
}

function path(d, className) {
  const made = document.createElementNS(SVG, "path");
  made.setAttribute("d", d);
  made.setAttribute("class", className);
  return made;
}

// A stem for each stretch in which something is struck, as high as the loudest of it.
function strokesOf(strokes) {
  const svg = document.createElementNS(SVG, "svg");
  svg.setAttribute("viewBox", `0 0 ${strokes.length} 10`);
  svg.setAttribute("preserveAspectRatio", "none");
  svg.setAttribute("aria-hidden", "true");
  const d = [...strokes].map((loud, place) => (loud === "0" ? "" : `M${place + 0.5} 10V${9.5 - loud}`)).join("");
  svg.append(path(d, "stems"));
  return svg;
}
