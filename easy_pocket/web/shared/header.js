// The header: the song's name and tempo, undo and redo in words, what is saved, and what waits.

import { byId } from "./dom.js";
import { setSelection } from "./selection.js";
import { showNote } from "./notes.js";

export class Header {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    this.page = page;
    this.edits = page.edits;
    this.savedAt = Date.now();
    /** @type {any[]} */
    this.taps = [];
    this.edits.addEventListener("waiting", ({ detail }) => this.showWaiting(detail));
    this.edits.addEventListener("failing", ({ detail }) => this.showFailing(detail));
    document.addEventListener("click", (event) => this.click(event.target.closest?.("button")));
    document.addEventListener("change", (event) => event.target.id === "tempo" && this.setTempo(event.target.value));
    document.addEventListener("focusout", (event) => event.target.id === "song-name" && this.rename(event.target));
    document.addEventListener("pointerdown", (event) => event.target.id === "tempo" && this.dragTempo(event));
    document.addEventListener("keydown", (event) => {
      if (!["song-name", "tempo"].includes(event.target.id)) return;
      if (event.key === "Escape") event.target.value = event.target.id === "tempo" ? this.page.song.tempo_bpm.toFixed(1) : this.page.song.name;
      if (event.key === "Enter" || event.key === "Escape") event.target.blur();
    });
    setInterval(() => this.showSaved(), 1000);
  }

  /** @param {Piece} button */
  click(button) {
    /** @type {Record<string, any>} */
    const actions = { undo: () => this.edits.step("undo"), redo: () => this.edits.step("redo"), tap: () => this.tap() };
    actions[button?.id]?.();
  }

  /** @param {any} song */
  show(song) {
    setSelection(song.at);
    this.savedAt = Date.now();
    const name = byId("song-name");
    if (document.activeElement !== name) name.value = song.name;
    if (document.activeElement !== byId("tempo")) byId("tempo").value = song.tempo_bpm.toFixed(1);
    for (const step of ["undo", "redo"]) {
      byId(step).disabled = !song[step];
      byId(step).title = song[step] ? `${step === "undo" ? "Undo" : "Redo"}: ${song[step]}` : `Nothing to ${step}`;
    }
  }

  answered() {
    this.savedAt = Date.now();
    byId("banner").hidden = true;
  }

  showSaved() {
    if (this.edits.queue.length) return;
    const seconds = Math.round((Date.now() - this.savedAt) / 1000);
    byId("saved").textContent = seconds < 3 ? "saved" : seconds < 90 ? `saved ${seconds} s ago` : `saved ${Math.round(seconds / 60)} min ago`;
  }

  /** @param {any} options */
  showWaiting({ count, failing }) {
    if (!count) {
      this.answered();
      byId("saved").textContent = "saved";
    } else {
      byId("saved").textContent = failing ? `${count} edit${count > 1 ? "s" : ""} waiting` : "saving…";
    }
  }

  /** @param {any} options */
  showFailing({ words, count }) {
    byId("banner").textContent = `${words} ${count} edit${count > 1 ? "s are" : " is"} waiting.`;
    byId("banner").hidden = false;
  }

  /** @param {any} field */
  rename(field) {
    const name = field.value.trim();
    const { song } = this.page;
    if (name === song.name) return;
    if (!name) {
      field.value = song.name;
      showNote("The name is empty: give it at least one letter.", { near: field, wrong: true });
    } else {
      this.edits.push({ kind: "name", name }, { near: field });
    }
  }

  // Tempo: typed, drawn up and down, tapped ---------------------------------------------------------------------------
  /**
   * @param {any} value
   * @param {any} [gesture]
   */
  setTempo(value, gesture = null) {
    const tempo = Number(String(value).replace(",", "."));
    const field = byId("tempo");
    const good = Number.isFinite(tempo) && tempo >= 20 && tempo <= 400;
    field.classList.toggle("wrong", !good);
    if (!good) {
      showNote(`'${value}' is no tempo that can be played: type a number from 20 to 400 bpm.`, { near: field, wrong: true });
      field.value = this.page.song.tempo_bpm.toFixed(1);
      field.classList.remove("wrong");
      return;
    }
    field.value = tempo.toFixed(1);
    if (tempo !== this.page.song.tempo_bpm) this.edits.push({ kind: "tempo", tempo_bpm: Math.round(tempo * 1000) / 1000 }, { gesture, near: field });
  }

  /** @param {PageEvent} event */
  dragTempo(event) {
    const field = event.target;
    if (document.activeElement === field) return;
    event.preventDefault();
    const from = { y: event.clientY, tempo: this.page.song.tempo_bpm };
    const gesture = `tempo-${Date.now()}`;
    let moved = false;
    const move = (/** @type {any} */ now) => {
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
}
