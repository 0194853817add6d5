// The rails under the pointer and the keys. What is drawn here is provisional: the server's drawing replaces it.

import { showLedger, showNote, speak } from "./notes.js";

const DRAG_PX = 4;
const NEW_VELOCITY = 96;
const GHOST_VELOCITY = 38;
const ACCENT_VELOCITY = 116;

export class Rails {
  constructor(edits, page) {
    this.edits = edits;
    this.page = page;
    this.cursor = null;
    this.drag = null;
    document.addEventListener("pointerdown", (event) => this.down(event));
    document.addEventListener("pointermove", (event) => this.move(event));
    document.addEventListener("pointerup", (event) => this.up(event));
    document.addEventListener("pointercancel", () => (this.drag = null));
    document.addEventListener("contextmenu", (event) => event.target.closest?.("svg.rail") && event.preventDefault());
    document.addEventListener("pointerover", (event) => this.over(event));
    document.addEventListener("focusin", (event) => event.target.id === "rail-rows" && this.showCursor());
    document.addEventListener("focusout", (event) => event.target.id === "rail-rows" && this.hideCursor());
  }

  get box() {
    return document.getElementById("rail-rows");
  }

  get busy() {
    return this.drag !== null;
  }

  get facts() {
    return Object.fromEntries(Object.entries(this.box.dataset).map(([name, value]) => [name, Number(value)]));
  }

  // Geometry: the server's percent scale, both ways.
  percent(tick) {
    const { start, end, edge } = this.facts;
    return edge + ((100 - 2 * edge) * (tick - start)) / (end - start);
  }

  tickAt(svg, clientX) {
    const { start, end, edge, step } = this.facts;
    const box = svg.getBoundingClientRect();
    const share = (((clientX - box.left) / box.width) * 100 - edge) / (100 - 2 * edge);
    const slot = Math.round((start + share * (end - start)) / step) * step;
    return Math.max(start, Math.min(slot, end - step));
  }

  msPerPixel(svg) {
    const { start, end, edge, msPerTick, magnify } = this.facts;
    const ticks = (end - start) / ((1 - (2 * edge) / 100) * svg.getBoundingClientRect().width);
    return (ticks * msPerTick) / magnify;
  }

  over(event) {
    const hit = event.target.closest?.(".hit");
    if (hit && hit.dataset.ledger) showLedger(hit.dataset.ledger);
  }

  down(event) {
    const svg = event.target.closest?.("svg.rail");
    if (!svg || ![0, 2].includes(event.button) || !this.box) return;
    event.preventDefault();
    this.box.focus({ preventScroll: true });
    if (event.button === 2 || event.shiftKey) {
      this.drag = { wipes: true, gone: new Map(), x: event.clientX, y: event.clientY };
      this.wipe(event);
      return;
    }
    const voice = svg.closest(".rail-row").dataset.voice;
    const hit = event.target.closest(".hit:not(.waiting)");
    this.drag = { svg, voice, hit, x: event.clientX, y: event.clientY, axis: null };
    if (hit) {
      Object.assign(this.drag, {
        tick: Number(hit.dataset.tick),
        velocity: Number(hit.dataset.velocity),
        own: Number(hit.dataset.own),
        stems: [...hit.querySelectorAll(".stem,.head,.thread")].map((piece) => [piece, piece.cloneNode()]),
      });
    }
    svg.setPointerCapture?.(event.pointerId);
  }

  move(event) {
    const drag = this.drag;
    if (!drag) return;
    if (drag.wipes) this.wipe(event);
    else if (!drag.hit) this.paint(event);
    if (!drag.hit) return;
    const dx = event.clientX - drag.x;
    const dy = event.clientY - drag.y;
    if (!drag.axis) {
      if (Math.max(Math.abs(dx), Math.abs(dy)) < DRAG_PX) return;
      drag.axis = Math.abs(dy) >= Math.abs(dx) ? "velocity" : "offset";
    }
    if (drag.axis === "velocity") {
      const reach = drag.svg.getBoundingClientRect().height * 0.7 * 0.86;
      drag.value = Math.max(1, Math.min(127, Math.round(drag.velocity - (dy / reach) * 127)));
      this.drawVelocity(drag);
      showLedger(`${drag.hit.dataset.label.split(",")[0]}|velocity ${drag.velocity} → ${drag.value}`);
    } else {
      const ms = drag.own + dx * this.msPerPixel(drag.svg);
      drag.value = Math.max(-250, Math.min(250, Math.round(ms * 10) / 10));
      this.drawOffset(drag, dx);
      showLedger(`${drag.hit.dataset.label.split(",")[0]}|own offset ${drag.own} → ${drag.value} ms`);
    }
  }

  // Drawn along a rail: every slot passed gets a hit, and all of them are one move.
  paint(event) {
    const { drag } = this;
    if (!drag.ticks && Math.abs(event.clientX - drag.x) < DRAG_PX * 2) return;
    const { step } = this.facts;
    const to = this.tickAt(drag.svg, event.clientX);
    if (!drag.ticks) {
      drag.ticks = [];
      drag.last = this.tickAt(drag.svg, drag.x);
      this.paintSlot(drag.last);
    }
    const side = Math.sign(to - drag.last);
    for (let tick = drag.last + side * step; side && (to - tick) * side >= 0; tick += side * step) this.paintSlot(tick);
    drag.last = to;
    showLedger(`${this.nameOf(drag.voice)}|${drag.ticks.length} hits`);
  }

  paintSlot(tick) {
    const { voice, ticks } = this.drag;
    if (ticks.includes(tick) || this.find(voice, tick)) return;
    ticks.push(tick);
    this.drawHit(voice, tick, NEW_VELOCITY);
  }

  // Wiped over: what lies under the pointer's way goes, on every rail it crosses.
  wipe(event) {
    const { drag } = this;
    const far = Math.max(Math.abs(event.clientX - drag.x), Math.abs(event.clientY - drag.y));
    const pieces = Math.max(1, Math.ceil(far / 5));
    for (let piece = 1; piece <= pieces; piece += 1) {
      const x = drag.x + ((event.clientX - drag.x) * piece) / pieces;
      const y = drag.y + ((event.clientY - drag.y) * piece) / pieces;
      for (const element of document.elementsFromPoint(x, y)) {
        const hit = element.closest?.(".hit:not(.gone):not(.waiting)");
        if (!hit) continue;
        const { voice } = hit.closest(".rail-row").dataset;
        drag.gone.set(`${voice} ${hit.dataset.tick}`, [voice, Number(hit.dataset.tick)]);
        hit.classList.add("gone");
      }
    }
    drag.x = event.clientX;
    drag.y = event.clientY;
    showLedger(`wipe|${drag.gone.size} hit${drag.gone.size === 1 ? "" : "s"}`);
  }

  nameOf(voice) {
    return document.querySelector(`#rail-${voice} .voice-name`).textContent.trim();
  }

  drawVelocity({ hit, value }) {
    const loud = value / 127;
    const y = `${84 - 70 * (0.14 + 0.86 * loud)}%`;
    hit.querySelector(".stem").setAttribute("y2", y);
    hit.querySelector(".stem").setAttribute("stroke-width", 2 + 4.2 * loud);
    hit.querySelector(".head").setAttribute("cy", y);
    hit.querySelector(".head").setAttribute("r", 2.6 + 2.6 * loud);
  }

  drawOffset({ stems, svg }, dx) {
    const shift = (dx / svg.getBoundingClientRect().width) * 100;
    for (const [piece, original] of stems) {
      for (const name of piece.classList.contains("thread") ? ["x2"] : ["x1", "x2", "cx"]) {
        if (original.hasAttribute(name)) piece.setAttribute(name, `${parseFloat(original.getAttribute(name)) + shift}%`);
      }
    }
  }

  up(event) {
    const drag = this.drag;
    this.drag = null;
    if (!drag) return;
    if (drag.wipes) {
      if (drag.gone.size) this.edits.push({ kind: "wipe", places: [...drag.gone.values()] }, { near: this.box });
      return;
    }
    const { voice, tick, hit, svg } = drag;
    if (drag.ticks) {
      this.cursor = { voice, tick: drag.last };
      if (drag.ticks.length) this.edits.push({ kind: "paint", voice, ticks: drag.ticks, velocity: NEW_VELOCITY }, { near: svg });
    } else if (hit && drag.axis) {
      if (drag.axis === "velocity") this.edits.push({ kind: "velocity", voice, tick, velocity: drag.value }, { near: hit });
      else this.edits.push({ kind: "offset", voice, tick, offset_ms: drag.value }, { near: hit });
    } else if (hit) {
      this.remove(voice, tick, hit);
    } else if (event.target.closest?.("svg.rail") === svg) {
      const slot = this.tickAt(svg, event.clientX);
      this.cursor = { voice, tick: slot };
      if (!this.find(voice, slot)) this.write(voice, slot);
    }
    this.showCursor();
  }

  find(voice, tick) {
    return document.querySelector(`#rail-${voice} .hit[data-tick="${tick}"]:not(.gone)`);
  }

  write(voice, tick, velocity = NEW_VELOCITY) {
    const hit = this.drawHit(voice, tick, velocity);
    this.edits.push({ kind: "write", voice, tick, velocity }, { near: hit });
  }

  drawHit(voice, tick, velocity) {
    const svg = document.querySelector(`#rail-${voice} svg.rail`);
    const hit = document.createElementNS("http://www.w3.org/2000/svg", "g");
    hit.setAttribute("class", "hit even waiting");
    hit.dataset.tick = tick;
    hit.dataset.velocity = velocity;
    hit.dataset.own = 0;
    const x = `${this.percent(tick)}%`;
    const loud = velocity / 127;
    const y = `${84 - 70 * (0.14 + 0.86 * loud)}%`;
    for (const [name, attributes] of [
      ["line", { class: "stem", x1: x, x2: x, y1: "84%", y2: y, "stroke-width": 2 + 4.2 * loud }],
      ["circle", { class: "head", cx: x, cy: y, r: 2.6 + 2.6 * loud }],
    ]) {
      const piece = document.createElementNS("http://www.w3.org/2000/svg", name);
      for (const [key, value] of Object.entries(attributes)) piece.setAttribute(key, value);
      hit.append(piece);
    }
    svg.append(hit);
    return hit;
  }

  remove(voice, tick, hit) {
    hit.classList.add("gone");
    this.edits.push({ kind: "remove", voice, tick }, { near: hit.closest(".rail-row") });
  }

  // Keys ------------------------------------------------------------------------------------------------------------
  voices() {
    return [...document.querySelectorAll(".rail-row")].map((row) => row.dataset.voice);
  }

  ensureCursor() {
    const voices = this.voices();
    const { start, end } = this.facts;
    if (!this.cursor || !voices.includes(this.cursor.voice)) this.cursor = { voice: voices[0], tick: start };
    this.cursor.tick = Math.max(start, Math.min(this.cursor.tick, end - 1));
  }

  showCursor() {
    const mark = document.getElementById("cursor");
    if (!mark || document.activeElement !== this.box) return;
    this.ensureCursor();
    const row = document.getElementById(`rail-${this.cursor.voice}`);
    const svg = row.querySelector("svg.rail");
    mark.hidden = false;
    mark.style.left = `${svg.getBoundingClientRect().left - this.box.getBoundingClientRect().left + (svg.getBoundingClientRect().width * this.percent(this.cursor.tick)) / 100}px`;
    mark.style.top = `${row.offsetTop + 2}px`;
    mark.style.height = `${row.offsetHeight - 5}px`;
  }

  hideCursor() {
    const mark = document.getElementById("cursor");
    if (mark) mark.hidden = true;
  }

  tell() {
    const hit = this.find(this.cursor.voice, this.cursor.tick);
    const name = document.querySelector(`#rail-${this.cursor.voice} .voice-name`).textContent.trim();
    const { bar, beat } = this.facts;
    const inside = this.cursor.tick % bar;
    const place = `${Math.floor(this.cursor.tick / bar) + 1}.${Math.floor(inside / beat) + 1}${inside % beat ? ` +${(inside % beat) / this.facts.step}` : ""}`;
    speak(hit?.dataset.label || `${name}, ${place}, no hit`);
    if (hit?.dataset.ledger) showLedger(hit.dataset.ledger);
    document.querySelectorAll(".hit.chosen").forEach((other) => other.classList.remove("chosen"));
    hit?.classList.add("chosen");
  }

  key(event) {
    if (!this.box || document.activeElement !== this.box || event.ctrlKey || event.metaKey || event.altKey) return false;
    this.ensureCursor();
    const { voice, tick } = this.cursor;
    const { start, end, step } = this.facts;
    const voices = this.voices();
    const hit = this.find(voice, tick);
    const go = (toVoice, toTick) => {
      this.cursor = { voice: toVoice, tick: Math.max(start, Math.min(toTick, end - step)) };
      this.showCursor();
      this.tell();
      return true;
    };
    switch (event.key) {
      case "ArrowLeft": return go(voice, (Math.ceil(tick / step) - 1) * step);
      case "ArrowRight": return go(voice, (Math.floor(tick / step) + 1) * step);
      case "Home": return go(voice, start);
      case "End": return go(voice, end - step);
      case "ArrowUp": return go(voices[Math.max(0, voices.indexOf(voice) - 1)], tick);
      case "ArrowDown": return go(voices[Math.min(voices.length - 1, voices.indexOf(voice) + 1)], tick);
      case "Enter":
        if (hit) this.remove(voice, tick, hit);
        else this.write(voice, tick);
        return true;
      case ",": case "<": return this.nudge(hit, voice, tick, event.shiftKey ? -5 : -1);
      case ".": case ">": return this.nudge(hit, voice, tick, event.shiftKey ? 5 : 1);
      case "g": return this.setVelocity(hit, voice, tick, GHOST_VELOCITY);
      case "a": return this.setVelocity(hit, voice, tick, ACCENT_VELOCITY);
      case "b": return this.nextSound(hit, voice, tick);
      case "m": case "s":
        document.querySelector(`#rail-${voice} [data-mix="${event.key === "m" ? "mute" : "solo"}"]`).click();
        return true;
      case "d":
        this.page.setLength(Math.round((this.facts.length / this.facts.bar) * 2));
        return true;
      default:
        if (/^[1-9]$/.test(event.key)) return this.setVelocity(hit, voice, tick, Math.round((Number(event.key) / 9) * 127));
        return false;
    }
  }

  nudge(hit, voice, tick, ms) {
    if (!hit) return true;
    const offset = Math.max(-250, Math.min(250, Number(hit.dataset.own) + ms));
    hit.dataset.own = offset; // so that keys in quick succession add up
    this.edits.push({ kind: "offset", voice, tick, offset_ms: offset }, { gesture: `nudge-${voice}-${tick}`, near: hit });
    return true;
  }

  // The voice's own sound, then its alternates one after another.
  nextSound(hit, voice, tick) {
    if (!hit) return true;
    const count = Number(hit.closest(".rail-row").dataset.alternates);
    if (!count) {
      showNote("This voice has no other sounds yet: add an alternate on the Kit screen.", { near: hit });
      return true;
    }
    this.edits.push({ kind: "alternate", voice, tick, alternate: (Number(hit.dataset.alternate) + 1) % (count + 1) }, { near: hit });
    return true;
  }

  setVelocity(hit, voice, tick, velocity) {
    if (!hit) this.write(voice, tick, velocity);
    else this.edits.push({ kind: "velocity", voice, tick, velocity }, { near: hit });
    return true;
  }
}
