// The hands: three rows of letters and cloth pads, a voice in each column; struck by keys, pointer or touch.

import { byId, element, text } from "../../shared/dom.js";
import { circle, colours, fitted } from "../../shared/canvas.js";
import { speak } from "../../shared/notes.js";
import { isTyping } from "../../shared/keys.js";

const ROWS = [
  ["KeyQ", "KeyW", "KeyE", "KeyR", "KeyT", "KeyY", "KeyU", "KeyI", "KeyO", "KeyP"],
  ["KeyA", "KeyS", "KeyD", "KeyF", "KeyG", "KeyH", "KeyJ", "KeyK", "KeyL", "Semicolon"],
  ["KeyZ", "KeyX", "KeyC", "KeyV", "KeyB", "KeyN", "KeyM", "Comma", "Period", "Slash"],
];
const SIGNS = ["QWERTYUIOP", "ASDFGHJKL;", "ZXCVBNM,./"];
const NAMES = ["hard", "middle", "soft"];
const LIT_MS = 140;
const MOST_DRAWN = 14;

export class Pads {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    this.letters = true; // letters strike; else they are shortcuts
    /** @type {string[]} */
    this.columns = [];
    /** @type {import("../../shared/shapes").TakesData | null} */
    this.data = null;
    this.changing = false;
    /** @type {Map<string, number[]>} */
    this.sizes = new Map(); // velocities last struck, by voice
    /** @type {Map<string, number>} */
    this.others = new Map(); // which of its sounds a voice is struck with: 0 its own, 1-4 an alternate
    /** @type {Map<string, any>} */
    this.lights = new Map();
    screen.on("keydown", (event) => this.key(event), { capture: true });
    screen.on("pointerdown", (event) => this.press(event));
  }

  get kept() {
    return `easy-pocket-pads-${this.data?.kit}`;
  }

  /** @param {import("../../shared/shapes").TakesData} data */
  show(data) {
    this.data = data;
    const known = new Map(data.pads.map((pad) => [pad.voice, pad]));
    const own = JSON.parse(localStorage.getItem(this.kept) ?? "null");
    this.columns = (Array.isArray(own) ? own : data.columns).filter((/** @type {string} */ voice) => known.has(voice)).slice(0, 10);
    this.draw();
  }

  draw() {
    const data = this.data;
    if (!data) return;
    const pads = new Map(data.pads.map((pad) => [pad.voice, pad]));
    const velocities = byId("pads").dataset.velocities.split(",").map(Number);
    byId("pad-heads").replaceChildren(...this.columns.map((voice, column) => this.head(pads, voice, column)));
    byId("pads").replaceChildren(
      ...NAMES.flatMap((name, row) => {
        const label = element("div", "pad-row-name");
        const stem = element("i");
        stem.style.height = `${6 + velocities[row] / 7}px`;
        label.append(stem, text("b", name), text("span", velocities[row]));
        const line = element("div", "pad-row");
        line.dataset.row = `${row}`;
        line.append(...this.columns.map((voice, column) => this.pad(pads.get(voice), row, column, velocities[row])));
        return [label, line];
      }),
    );
    byId("change-voices").setAttribute("aria-pressed", `${this.changing}`);
  }

  /**
   * @param {Map<string, import("../../shared/shapes").Pad>} pads
   * @param {string} voice
   * @param {number} column
   */
  head(pads, voice, column) {
    const head = element("div", "pad-head");
    head.dataset.voice = voice;
    if (this.changing) {
      const choice = document.createElement("select");
      choice.setAttribute("aria-label", `Voice of column ${column + 1}`);
      for (const pad of pads.values()) choice.append(new Option(pad.name, pad.voice, false, pad.voice === voice));
      choice.addEventListener("change", () => this.change(column, choice.value));
      head.append(choice);
      return head;
    }
    const line = element("p");
    line.append(sign(pads.get(voice)?.glyph ?? ""), text("span", pads.get(voice)?.name ?? voice));
    if (pads.get(voice)?.others.length) line.append(this.otherButton(voice, column));
    head.append(line, document.createElement("canvas"));
    requestAnimationFrame(() => this.drawSizes(head));
    return head;
  }

  /**
   * @param {import("../../shared/shapes").Pad | undefined} pad
   * @param {number} row
   * @param {number} column
   * @param {number} velocity
   */
  pad(pad, row, column, velocity) {
    const made = element("button", "pad");
    made.setAttribute("type", "button");
    made.setAttribute("tabindex", "-1");
    made.setAttribute("aria-label", `${pad?.name}, ${NAMES[row]}`);
    Object.assign(made.dataset, { voice: pad?.voice ?? "", velocity: `${velocity}` });
    made.append(text("kbd", SIGNS[row][column] ?? ""), sign(pad?.glyph ?? ""), text("b", velocity));
    return made;
  }

  /**
   * Another voice in a column; the one that was there goes where that was.
   * @param {number} column
   * @param {string} voice
   */
  change(column, voice) {
    const other = this.columns.indexOf(voice);
    if (other >= 0) this.columns[other] = this.columns[column];
    this.columns[column] = voice;
    localStorage.setItem(this.kept, JSON.stringify(this.columns));
    this.draw();
  }

  toggleChange() {
    this.changing = !this.changing;
    this.draw();
  }

  /**
   * Which of its sounds a voice is struck with, told and changed; for voices that have several.
   * @param {string} voice
   * @param {number} column
   */
  otherButton(voice, column) {
    const number = this.otherOf(voice) + 1;
    const button = text("button", `${number}`);
    Object.assign(button, { type: "button", className: "other", title: `Sound ${number} of it; another one by a press, or by the key ${(column + 1) % 10}` });
    button.setAttribute("aria-label", `Sound ${number} of ${voice}`);
    button.dataset.other = voice;
    return button;
  }

  /** @param {string} voice */
  countOf(voice) {
    return this.data?.pads.find((pad) => pad.voice === voice)?.others.length ?? 0;
  }

  /** @param {string} voice */
  otherOf(voice) {
    return Math.min(this.others.get(voice) ?? 0, this.countOf(voice));
  }

  /** @param {string} voice */
  nextOther(voice) {
    if (!this.countOf(voice)) return;
    this.others.set(voice, (this.otherOf(voice) + 1) % (this.countOf(voice) + 1));
    this.draw();
    speak(`${voice}: sound ${this.otherOf(voice) + 1}`);
  }

  /** @param {PageEvent} event */
  key(event) {
    if (!this.letters || event.ctrlKey || event.metaKey || event.altKey || event.shiftKey) return;
    if (isTyping(event.target) || this.screen.page.opened) return;
    const digit = /^Digit(\d)$/.exec(event.code)?.[1];
    const asked = digit === undefined ? null : this.columns[(Number(digit) + 9) % 10];
    if (asked && this.countOf(asked)) {
      event.preventDefault();
      event.stopImmediatePropagation();
      if (!event.repeat) this.nextOther(asked);
      return;
    }
    const row = ROWS.findIndex((codes) => codes.includes(event.code));
    const voice = row >= 0 && this.columns[ROWS[row].indexOf(event.code)];
    if (!voice) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (event.repeat) return;
    const velocity = Number(byId("pads").dataset.velocities.split(",")[row]);
    this.screen.struck(voice, velocity, event.timeStamp, "keys");
  }

  /** @param {PageEvent} event */
  press(event) {
    const other = event.target.closest?.("[data-other]");
    if (other && event.button === 0) {
      event.preventDefault();
      this.nextOther(other.dataset.other);
      return;
    }
    const pad = event.target.closest?.(".pad");
    if (!pad || event.button > 0) return;
    event.preventDefault(); // the keys stay with the work; a finger does not scroll
    const box = pad.getBoundingClientRect();
    // Harder toward the middle of its height; a pen or a finger says itself how hard where its device tells it.
    const share = 1 - Math.abs(event.clientY - box.top - box.height / 2) / (box.height / 2);
    const told = event.pointerType !== "mouse" && event.pressure > 0 && event.pressure !== 0.5;
    const middle = Number(pad.dataset.velocity);
    const velocity = told ? Math.round(1 + 126 * event.pressure) : Math.round(middle + 24 * (share - 0.6));
    this.screen.struck(pad.dataset.voice, Math.max(1, Math.min(127, velocity)), event.timeStamp, "screen");
  }

  /**
   * Show that a voice was struck, in the row nearest to how hard.
   * @param {string} voice
   * @param {number} velocity
   */
  light(voice, velocity) {
    const sizes = [...(this.sizes.get(voice) ?? []), velocity].slice(-MOST_DRAWN);
    this.sizes.set(voice, sizes);
    const rows = [...document.querySelectorAll(`.pad[data-voice="${voice}"]`)];
    const nearest = rows.sort((one, other) => Math.abs(Number(one.dataset.velocity) - velocity) - Math.abs(Number(other.dataset.velocity) - velocity))[0];
    const head = document.querySelector(`.pad-head[data-voice="${voice}"]`);
    if (!nearest || !head) return;
    nearest.querySelector("b").textContent = `${velocity}`;
    nearest.classList.add("lit");
    head.classList.add("lit");
    clearTimeout(this.lights.get(voice));
    this.lights.set(voice, setTimeout(() => {
      for (const one of [...rows, head]) one.classList.remove("lit");
      this.drawSizes(head);
    }, LIT_MS));
  }

  /** @param {Piece} head */
  drawSizes(head) {
    const canvas = head.querySelector("canvas");
    if (!canvas?.isConnected) return;
    const { pen, width, height } = fitted(canvas);
    const c = colours();
    const sizes = this.sizes.get(head.dataset.voice) ?? [];
    sizes.forEach((velocity, number) => {
      const x = width - 5 - (sizes.length - 1 - number) * 6;
      const top = height - 2 - (velocity / 127) * (height - 5);
      pen.strokeStyle = pen.fillStyle = number === sizes.length - 1 ? c.thread : c.denim;
      pen.lineWidth = 1.4;
      pen.beginPath();
      pen.moveTo(x, height);
      pen.lineTo(x, top);
      pen.stroke();
      circle(pen, x, top, 1.9);
      pen.fill();
    });
  }
}

/** @param {string} name */
function sign(name) {
  const drawn = document.querySelector(`#glyph-signs [data-sign="${name}"]`);
  return drawn ? /** @type {Node} */ (drawn.firstElementChild?.cloneNode(true)) : text("i", "");
}
