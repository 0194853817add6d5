// The pieces of the plan, as they are drawn: energy, heads of sections, parts with their cells, loops, joins.

import { MARKS, element, text } from "../../shared/dom.js";

const SVG = "http://www.w3.org/2000/svg";

const NOTHING_YET = "nothing written yet: e writes it on the Bench";

export class SongPicture {
  /** @param {any} screen the Song screen */
  constructor(screen) {
    this.screen = screen;
  }

  /** @param {any} wanted */
  energyRow(wanted) {
    const { energy, sections } = this.screen.data;
    wanted.set("energy", {
      row: 1, column: 1, words: "energy",
      make: () => element("div", "plan-side", [text("b", "energy"), text("small", "density, level, brightness")]),
    });
    for (const [number, section] of sections.entries()) {
      const bars = slice(energy, section);
      wanted.set(`energy ${section.id}`, { row: 1, column: number + 2, words: bars, make: () => this.energyCell(section, bars) });
    }
  }

  /**
   * @param {any} section
   * @param {any} bars
   */
  energyCell(section, bars) {
    const box = element("div", "plan-energy");
    box.dataset.energy = section.id;
    const count = bars.total.length;
    const step = (/** @type {any} */ values, /** @type {number} */ most) => values.map((/** @type {any} */ value, /** @type {number} */ bar) => `${bar ? "L" : "M"}${bar} ${60 - (value / most) * 56}H${bar + 1}`).join("");
    const svg = document.createElementNS(SVG, "svg");
    svg.setAttribute("viewBox", `0 0 ${count} 60`);
    svg.setAttribute("preserveAspectRatio", "none");
    const area = `M0 60${bars.total.map((/** @type {any} */ value, /** @type {number} */ bar) => `L${bar} ${60 - value * 0.56}H${bar + 1}`).join("")}V60Z`;
    svg.append(path(area, "area"), path(step(bars.level, 1), "loud"), path(step(bars.brightness, 1), "bright"));
    box.append(svg);
    const mean = (/** @type {any} */ values) => values.reduce((/** @type {any} */ sum, /** @type {any} */ value) => sum + value, 0) / values.length;
    box.title = `${section.name}: ${mean(bars.density).toFixed(1)} hits a beat, mean velocity ${Math.round(mean(bars.level) * 127)}, ${Math.round(mean(bars.brightness) * 100)} % bright${section.promise ? `. ${section.promise}` : ""}`;
    if (section.promise) box.append(text("span", "no more than before", "plan-promise"));
    return box;
  }

  /** @param {any} wanted */
  headRow(wanted) {
    wanted.set("heads", { row: 2, column: 1, words: "heads", make: () => element("div", "plan-side plan-corner", [text("small", "sections")]) });
    for (const [number, section] of this.screen.sections.entries()) {
      wanted.set(`head ${section.id}`, { row: 2, column: number + 2, words: section, make: () => this.head(section) });
    }
  }

  /** @param {any} section */
  head(section) {
    const changes = [section.tempo_bpm && `${section.tempo_bpm} bpm`, section.metre].filter(Boolean).join(" ");
    const head = element("button", "plan-head", [
      text("b", `${MARKS[section.mark]} ${section.name}`.trim()),
      text("small", `${section.bars} bar${section.bars === 1 ? "" : "s"} ×${section.repeats}${changes ? ` · ${changes}` : ""}`),
    ]);
    head.type = "button";
    head.dataset.head = section.id;
    if (section.parent) head.append(text("span", "↳", "plan-link"));
    if (section.notes) head.append(text("span", "✎", "plan-noted"));
    head.title = [section.parent ? `a variation of ${section.parent_name}` : "", section.notes].filter(Boolean).join(" · ");
    return head;
  }

  /**
   * @param {any} wanted
   * @param {any} part
   * @param {any} row
   */
  partRow(wanted, part, row) {
    wanted.set(`part ${part.id}`, { row, column: 1, words: part, make: () => this.partHead(part) });
    for (const [number, section] of this.screen.sections.entries()) {
      const cell = this.screen.cell(section.id, part.id);
      wanted.set(`cell ${section.id} ${part.id}`, { row, column: number + 2, words: [cell, part.mute, section.bars], make: () => this.cellBox(section, part, cell) });
    }
  }

  /** @param {any} part */
  partHead(part) {
    const name = element("button", "plan-part", [text("b", part.name), text("small", `${part.kit_name} · ${part.words}`)]);
    name.type = "button";
    name.dataset.part = part.id;
    name.title = `${part.name}: ${part.kit_name}, ${part.words}`;
    const buttons = ["mute", "solo"].map((what) => {
      const button = text("button", what === "mute" ? "m" : "s");
      button.type = "button";
      button.dataset.partSwitch = what;
      button.setAttribute("aria-pressed", part[what]);
      button.setAttribute("aria-label", `${what} ${part.name}`);
      button.title = what === "mute" ? "Mute the part" : "Hear this part alone";
      return button;
    });
    const box = element("div", "plan-side plan-part-box", [name, element("span", "ms", buttons)]);
    box.dataset.partBox = part.id;
    return box;
  }

  /**
   * @param {any} section
   * @param {any} part
   * @param {any} cell
   */
  cellBox(section, part, cell) {
    const marks = cell.rest ? "" : [cell.muted.length ? `−${cell.muted.length}` : "", cell.level_db ? `${cell.level_db > 0 ? "+" : "−"}${Math.abs(cell.level_db)} dB` : "", Object.keys(cell.feel).length ? "feel" : ""].filter(Boolean).join(" ");
    const box = element("button", "plan-cell", [text("b", cell.rest ? "–" : cell.name), text("small", marks)]);
    box.type = "button";
    box.dataset.cell = `${section.id} ${part.id}`;
    box.setAttribute("aria-label", `${part.name} in ${section.name}: ${cell.rest ? "rests" : `plays ${cell.name}${cell.strokes ? "" : `, ${NOTHING_YET}`}`}${marks ? `, ${marks}` : ""}${cell.own ? ", its own here" : ""}`);
    box.classList.toggle("rest", cell.rest);
    box.classList.toggle("own", cell.own);
    box.classList.toggle("silent", part.mute);
    if (cell.strokes) box.append(strokesOf(cell.strokes));
    else if (!cell.rest) box.append(text("span", NOTHING_YET, "plan-hint"));
    return box;
  }

  /**
   * @param {any} wanted
   * @param {any} loop
   * @param {any} row
   */
  loopRow(wanted, loop, row) {
    wanted.set(`loop ${loop.id}`, {
      row, column: 1, words: loop,
      make: () => element("div", "plan-side", [text("b", loop.name), text("small", "loop, under the stack")]),
    });
    for (const [number, section] of this.screen.sections.entries()) {
      const there = this.loopPlays(loop, section);
      wanted.set(`loop ${loop.id} ${section.id}`, { row, column: number + 2, words: [there, loop.level_db], make: () => this.loopCell(loop, section, there) });
    }
  }

  /**
   * @param {any} loop
   * @param {any} section
   */
  loopPlays(loop, section) {
    if (loop.muted) return false;
    if (loop.sections.length) return loop.sections.includes(section.id);
    const last = section.first_bar + section.bars * section.repeats - 1;
    return last >= loop.from_bar && (!loop.to_bar || section.first_bar <= loop.to_bar);
  }

  /**
   * @param {any} loop
   * @param {any} section
   * @param {any} there
   */
  loopCell(loop, section, there) {
    const level = `${String(loop.level_db).replace("-", "−")} dB`;
    const box = element("button", "plan-cell loop", [text("b", there ? "plays" : "–"), text("small", there ? level : "")]);
    box.type = "button";
    box.dataset.loopCell = `${section.id} ${loop.id}`;
    box.setAttribute("aria-pressed", there);
    box.setAttribute("aria-label", `${loop.name} in ${section.name}: ${there ? `plays ${level}` : "rests"}`);
    box.classList.toggle("rest", !there);
    return box;
  }

  /**
   * @param {any} wanted
   * @param {any} row
   */
  joinRow(wanted, row) {
    wanted.set("joins", { row, column: 1, words: "joins", make: () => element("div", "plan-side", [text("b", "joins"), text("small", "how a section ends")]) });
    for (const [number, section] of this.screen.sections.entries()) {
      wanted.set(`join ${section.id}`, {
        row, column: number + 2, words: section.join_words,
        make: () => {
          const box = element("button", "plan-join", section.join_words.flatMap((/** @type {string} */ words) => [text("span", words), " "]));
          box.type = "button";
          box.dataset.join = section.id;
          box.title = section.join_words.join(", ");
          box.setAttribute("aria-label", `How ${section.name} ends: ${section.join_words.join(" ") || "nothing special"}`);
          if (!section.join_words.length) box.append(text("span", "+", "plan-plus"));
          return box;
        },
      });
    }
  }
}

/**
 * @param {any} energy
 * @param {any} section
 */
function slice(energy, section) {
  const from = section.first_bar - 1;
  const to = from + section.bars * section.repeats;
  return Object.fromEntries(Object.entries(energy).map(([name, values]) => [name, values.slice(from, to)]));
}

/**
 * @param {any} d
 * @param {string} className
 */
function path(d, className) {
  const made = document.createElementNS(SVG, "path");
  made.setAttribute("d", d);
  made.setAttribute("class", className);
  return made;
}

/**
 * A stem for each stretch in which something is struck, as high as the loudest of it.
 * @param {any} strokes
 */
function strokesOf(strokes) {
  const svg = document.createElementNS(SVG, "svg");
  svg.setAttribute("viewBox", `0 0 ${strokes.length} 10`);
  svg.setAttribute("preserveAspectRatio", "none");
  svg.setAttribute("aria-hidden", "true");
  const d = [...strokes].map((loud, place) => (loud === "0" ? "" : `M${place + 0.5} 10V${9.5 - loud}`)).join("");
  svg.append(path(d, "stems"));
  return svg;
}
