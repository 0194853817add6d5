// The Shelf: songs played from their cards, found and put in order; what a new one begins with.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { placeIn } from "../../shared/schedule.js";
import { Player } from "../../shared/player.js";
import { isPressedBySpace, isTyping, lettersAreOn } from "../../shared/keys.js";
import { showNote } from "../../shared/notes.js";
import { bringIn, kindOf } from "./bring_in.js";
import { bringBack, keepHere } from "./backup.js";
import { LineChoice } from "./line_choice.js";
import { addTips } from "../../shared/tip.js";
import { TIPS } from "./tips.js";

addTips(TIPS);

const ORDER = "easy-pocket-order";
const TAPS_MS = 2500;

class Shelf {
  constructor() {
    this.player = new Player();
    /** @type {import("../../shared/page.js").Page | null} */
    this.page = null;
    this.song = ""; // id of the one that was played last
    /** @type {number[]} */
    this.taps = [];
    this.line = new LineChoice(this);
    this.byPointer = this.byTab = false; // how what has the focus was reached: Space presses it, or plays
    document.addEventListener("pointerdown", () => (this.byPointer = true), true);
    document.addEventListener("focusin", () => (this.byTab = !this.byPointer));
    this.player.addEventListener("change", () => this.show());
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("input", (event) => event.target.id === "find-song" && this.find());
    document.addEventListener("change", (event) => {
      if (event.target.dataset?.bringFile !== undefined) this.chosen(event.target);
      else if (event.target.dataset?.bringBackup !== undefined) this.backupChosen(event.target);
    });
    window.addEventListener("keydown", (event) => this.key(event), true); // before the song's page, if there is one
    for (const name of ["dragover", "dragleave", "drop"]) document.addEventListener(name, (event) => this.drop(event));
    document.body.addEventListener("htmx:afterSettle", (event) => event.detail.elt?.id === "cards" && this.arranged());
  }

  get box() {
    return byId("shelf");
  }

  /** @returns {Piece[]} */
  get cards() {
    return [...document.querySelectorAll(".song-card")];
  }

  /** @param {import("../../shared/page.js").Page | null} page the song that was left, if one was open */
  mount(page) {
    this.page = page;
    const kept = localStorage.getItem(ORDER);
    if (kept) this.order(kept);
    this.line.arrive();
    this.arranged();
  }

  arranged() {
    if (!this.box) return;
    this.arrange();
    this.find();
    this.show();
  }

  /** @param {PageEvent} event */
  click(event) {
    if (!this.box) return;
    const button = event.target.closest?.("button");
    if (!button) return;
    const { dataset } = button;
    if (dataset.playSong) this.toggle(dataset.playSong);
    else if (dataset.order) this.order(dataset.order);
    else if (dataset.tempoStep) this.step(Number(dataset.tempoStep));
    else if (dataset.beginTap !== undefined) this.tap();
    else if (dataset.backupHere !== undefined) keepHere(button);
    else if (dataset.bringDump) bringBack((button.getAttribute("aria-label") ?? "").replace("Bring back ", ""), "/backups/dump", new URLSearchParams({ name: dataset.bringDump }), "application/x-www-form-urlencoded");
    else if (dataset.rename !== undefined) {
      button.closest("[x-data='popover']").dispatchEvent(new KeyboardEvent("keydown", { key: "Escape" }));
      button.closest(".song-card").dispatchEvent(new CustomEvent("rename"));
    } else if (button.id === "play" && this.player.running) this.player.stop(); // of the song in the header: one at a time
  }

  /** @param {PageEvent["target"]} field */
  backupChosen(field) {
    const [file] = field.files;
    field.value = "";
    if (file) bringBack(file.name, `/backups/upload?${new URLSearchParams({ name: file.name.slice(-80) })}`, file, "application/octet-stream");
  }

  // Playing -------------------------------------------------------------------------------------------------------------
  /** @param {string} id */
  async toggle(id) {
    const playing = this.player.running && this.song === id && !this.line.heard;
    this.player.stop();
    if (playing) return;
    this.page?.player.stop();
    this.song = id;
    this.line.heard = false;
    const answer = await ask(`/songs/${id}/song/playing?timing=felt`).catch(() => null);
    if (this.song !== id) return;
    const told = await answer?.json().catch(() => null);
    if (!answer?.ok) {
      showNote(told?.error ?? "Easy Pocket does not answer just now; try again in a moment.", { near: byId(`card-${id}`), wrong: true });
      return;
    }
    this.player.setSong(told);
    await this.player.start("song");
  }

  show() {
    const { running } = this.player;
    for (const card of this.cards) {
      const on = running && !this.line.heard && card.dataset.song === this.song;
      card.classList.toggle("playing", on);
      const button = card.querySelector("[data-play-song]");
      button.setAttribute("aria-pressed", on);
      button.setAttribute("aria-label", `${on ? "Stop" : "Play"} ${card.querySelector("h3").textContent.trim()}`);
      card.querySelector(".card-needle").hidden = !on;
      const place = card.querySelector(".card-place");
      place.dataset.words ??= place.innerHTML;
      if (!on && place.dataset.moving) {
        place.innerHTML = place.dataset.words;
        delete place.dataset.moving;
      }
    }
    this.line.show(running);
    if (running && !this.moving) this.draw();
  }

  // Where the song is: a needle over its picture, the bar in words.
  draw() {
    const { position } = this.player;
    this.moving = position !== null && Boolean(this.box);
    if (!this.moving) return;
    const card = byId(`card-${this.song}`);
    if (card && this.player.song && !this.line.heard) {
      const { length_s } = this.player.song;
      const bars = card.dataset.bars;
      const words = `bar ${Math.min(placeIn(this.player.song, position).bar + 1, Number(bars))} of ${bars} · ${clock(position)}`;
      const place = card.querySelector(".card-place");
      if (place.textContent !== words) place.textContent = words;
      place.dataset.moving = "yes";
      card.querySelector(".card-needle").style.left = `${(100 * position) / length_s}%`;
    }
    requestAnimationFrame(() => this.draw());
  }

  // Keys ----------------------------------------------------------------------------------------------------------------
  /** @param {PageEvent} event */
  key(event) {
    this.byPointer = false;
    if (!this.box) return;
    const field = byId("find-song");
    if (event.key === "Escape" && event.target === field) {
      field.value = "";
      this.find();
      field.blur();
    } else if (event.key === "Escape") this.leaveQuestions();
    else if (event.key === "/" && !isTyping(event.target)) {
      event.preventDefault();
      field.focus();
    } else if (event.key === "n" && !isTyping(event.target) && !event.ctrlKey && !event.metaKey && !event.altKey && lettersAreOn()) {
      event.preventDefault();
      this.tempo.focus();
      this.tempo.select();
    } else if (event.key === " " && !isTyping(event.target) && !isPressedBySpace(event.target, this.byTab)) {
      if (this.page?.player.running || this.page?.drawing) return; // its own page stops it; or another screen is on its way
      event.preventDefault();
      event.stopPropagation();
      const card = event.target.closest?.(".song-card") ?? byId(`card-${this.song}`) ?? this.cards.find((one) => !one.hidden);
      if (this.player.running) this.player.stop();
      else if (card) this.toggle(card.dataset.song);
    }
  }

  // What was asked is left as it was.
  leaveQuestions() {
    for (const id of ["bring-notes", "backup-ask"]) byId(id).hidden = true;
    const keep = document.querySelector("[data-keep-bin]");
    if (keep?.checkVisibility()) /** @type {HTMLElement} */ (keep).click();
  }

  // Finding and order ---------------------------------------------------------------------------------------------------
  find() {
    const words = byId("find-song").value.toLowerCase().split(/\s+/).filter(Boolean);
    let count = 0;
    for (const card of this.cards) {
      card.hidden = !words.every((/** @type {string} */ word) => card.dataset.find.includes(word));
      count += Number(!card.hidden);
    }
    byId("song-count").textContent = words.length ? `${count} of ${this.cards.length}` : String(count);
  }

  /** @param {string} key */
  order(key) {
    this.by = key;
    localStorage.setItem(ORDER, key);
    for (const button of document.querySelectorAll("[data-order]")) {
      button.classList.toggle("on", button.dataset.order === key);
      button.setAttribute("aria-pressed", button.dataset.order === key);
    }
    this.arrange();
  }

  arrange() {
    const key = this.by ?? "changed";
    const value = (/** @type {Piece} */ card) => card.dataset[key];
    const cards = this.cards.sort((one, other) => (key === "name" ? value(one).localeCompare(value(other)) : Number(value(one)) - Number(value(other))));
    const box = byId("cards");
    if (cards.some((card, at) => box.querySelectorAll(".song-card")[at] !== card)) box.append(...cards);
  }

  // The tempo of what begins --------------------------------------------------------------------------------------------
  get tempo() {
    return /** @type {Piece} */ (document.querySelector(".empty-bar [name=tempo_bpm]"));
  }

  /** @param {number} by */
  step(by) {
    this.tempo.value = String(Math.max(20, Math.min(400, Math.round(Number(this.tempo.value.replace(",", ".")) || 100) + by)));
  }

  tap() {
    const now = performance.now();
    this.taps = [...this.taps.filter((at) => now - at < TAPS_MS), now];
    if (this.taps.length < 2) return;
    const gap = (now - this.taps[0]) / (this.taps.length - 1);
    this.tempo.value = String(Math.max(20, Math.min(400, Math.round(600_000 / gap) / 10)));
  }

  // Files ---------------------------------------------------------------------------------------------------------------
  /** @param {Piece} field */
  chosen(field) {
    const [file] = field.files;
    if (file) bringIn(file, kindOf(file) === "song" ? "song" : field.closest("[data-bring]").dataset.bring);
    field.value = "";
  }

  /** @param {PageEvent} event */
  drop(event) {
    if (!this.box || ![...(event.dataTransfer?.types || [])].includes("Files")) return;
    event.preventDefault();
    this.box.classList.toggle("dropping", event.type === "dragover");
    const [file] = event.type === "drop" ? event.dataTransfer.files : [];
    if (file) bringIn(file, kindOf(file));
  }
}

/** @param {number} seconds */
const clock = (seconds) => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;

/** @type {Shelf | null} */
let shelf = null;

/** @param {import("../../shared/page.js").Page | null} page */
export function mount(page) {
  shelf ??= new Shelf();
  shelf.mount(page);
}

// Another screen is shown: what played from here stops.
export function unmount() {
  shelf?.player.stop();
}
