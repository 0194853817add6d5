// The library at the right of the Kit screen: a list of any length, stepped through by keys, each sound heard at once.

import { byId } from "../../shared/dom.js";
import { ask as askServer } from "../../shared/api.js";
import { showLedger, speak } from "../../shared/notes.js";
import { askLike, bring, dropping, favour, rename, takeOut } from "./library_sounds.js";

const ROW = 46;
const PAGE = 60;
const KINDS = [["", "any kind"], ["model", "models"], ["sampled", "sampled"], ["yours", "yours"], ["folded", "folded"], ["printed", "printed"]];
/** @type {Record<string, any>} */
const KIND_WORDS = { model: "model", sampled: "sampled", yours: "yours", folded: "folded", printed: "printed" };

export class Library {
  /** @type {any} */
  like;
  /** @param {any} kit */
  constructor(kit) {
    this.kit = kit;
    /** @type {Record<string, any>} */
    this.asked = { role: "voice", source: "", words: "", favourite: false, recent: false, bright: 0, long: 0, noisy: 0, order: "" };
    /** @type {Map<any, any>} */
    this.pages = new Map();
    this.total = 0;
    this.chosen = -1;
    /** @type {{ pages: Map<number, any>, chosen: any }} */
    this.before = { pages: new Map(), chosen: null };
    this.inBeat = false;
    this.turn = 0;
    this.awaited = 0; // how much waits until the list is there
    /** @type {Promise<void> | null} */
    this.arriving = null;
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("dblclick", (event) => rename(this, event.target.closest?.("#library .sound .words")));
    document.addEventListener("input", (event) => event.target.id === "find-words" && this.ask({ words: event.target.value }));
    document.addEventListener("scroll", (event) => event.target.id === "sounds" && this.draw(), true);
    document.addEventListener("change", (event) => event.target.id === "sound-files" && bring(this, [...event.target.files], event.target));
    for (const name of ["dragover", "dragleave", "drop"]) document.addEventListener(name, (event) => dropping(this, event));
    window.addEventListener("resize", () => this.box && this.draw());
  }

  get box() {
    return byId("sounds");
  }

  get songAddress() {
    return `/songs/${this.kit.page.song.id}`;
  }

  mount() {
    if (!this.box) return;
    this.showAsked();
    this.reload();
  }

  // The voice or layer has changed: another role, other bands left free.
  follow() {
    if (!this.box) return;
    this.showAsked();
    if (this.asked.role === "voice" || this.asked.order === "fits") this.reload();
  }

  /** @param {any} changes */
  ask(changes) {
    this.asked = { ...this.asked, ...changes };
    this.showAsked();
    this.reload();
  }

  showAsked() {
    const { asked } = this;
    const press = (/** @type {Piece} */ button, /** @type {boolean} */ on) => {
      button.classList.toggle("on", on);
      button.setAttribute("aria-pressed", on);
    };
    for (const button of document.querySelectorAll("#library [data-find-role]")) {
      if (button.dataset.findRole) button.textContent = this.kit.facts.title.toLowerCase();
      press(button, button.dataset.findRole === asked.role);
    }
    for (const button of document.querySelectorAll("#library [data-find]")) {
      const what = button.dataset.find;
      press(button, what === asked.order || asked[what] === true);
    }
    for (const button of document.querySelectorAll("#library [data-side]")) {
      const words = button.dataset.words.split("|");
      const side = asked[button.dataset.side];
      button.textContent = words[side === 1 ? 1 : side === -1 ? 2 : 0];
      press(button, side !== 0);
    }
    const source = document.querySelector("#library [data-source]");
    source.textContent = KINDS.find(([key]) => key === asked.source)?.[1] ?? "";
    press(source, asked.source !== "");
    for (const button of document.querySelectorAll("#library [data-audition]")) press(button, (button.dataset.audition === "beat") === this.inBeat);
  }

  /** @param {number} offset */
  query(offset) {
    const { asked } = this;
    const { role, layer, alternate } = this.kit.facts;
    const query = new URLSearchParams(/** @type {any} */ ({ offset, limit: PAGE, words: asked.words, source: asked.source, voice: role, layer, alternate }));
    if (asked.role === "voice") query.set("role", role);
    for (const name of ["bright", "long", "noisy"]) query.set(name, asked[name]);
    for (const name of ["favourite", "recent"]) if (asked[name]) query.set(name, "true");
    if (asked.order === "fits") query.set("fits", "true");
    if (asked.order === "like" && this.like) {
      query.set("like", this.like);
      query.delete("role");
    }
    return query;
  }

  /** @param {boolean} [keep] */
  async reload(keep = false) {
    const arriving = this.reloaded(keep);
    this.arriving = arriving;
    await arriving;
    if (this.arriving === arriving) this.arriving = null;
  }

  /** @param {boolean} keep */
  async reloaded(keep) {
    const chosen = this.sound();
    // Until the answer is there, what is chosen is what it was: a hand does not wait for it.
    this.before = { pages: keep ? this.pages : new Map(), chosen };
    this.pages = new Map();
    const turn = (this.turn += 1);
    if (!keep) {
      this.chosen = -1;
      this.box.scrollTop = 0;
    }
    await this.page(keep ? Math.floor(this.box.scrollTop / ROW / PAGE) : 0);
    if (turn !== this.turn) return; // asked anew meanwhile
    if (chosen && this.chosen < 0) this.chosen = this.place(chosen.id);
    this.before = { pages: new Map(), chosen: null };
    this.draw();
  }

  /** @param {number} number */
  async page(number) {
    if (this.pages.has(number)) return;
    this.pages.set(number, null);
    const { turn } = this;
    const answer = await askServer(`${this.songAddress}/library?${this.query(number * PAGE)}`).catch(() => null);
    if (turn !== this.turn) return;
    if (!answer?.ok) {
      this.pages.delete(number);
      byId("sound-state").textContent = "The library does not answer just now; scroll or type again in a moment.";
      return;
    }
    const found = await answer.json();
    this.total = found.total;
    this.pages.set(number, found.sounds);
    this.draw();
  }

  sound(index = this.chosen) {
    if (index < 0) return this.before.chosen;
    const number = Math.floor(index / PAGE);
    return (this.pages.get(number) ?? this.before.pages.get(number))?.[index % PAGE] ?? null;
  }

  /** @param {any} id */
  place(id) {
    for (const [number, sounds] of this.pages) {
      const at = sounds?.findIndex((/** @type {any} */ sound) => sound.id === id) ?? -1;
      if (at >= 0) return number * PAGE + at;
    }
    return -1;
  }

  // Only rows in view are there.
  draw() {
    const room = byId("sounds-room");
    if (!room) return;
    byId("find-total").textContent = String(this.total);
    room.style.height = `${this.total * ROW}px`;
    const first = Math.max(0, Math.floor(this.box.scrollTop / ROW) - 4);
    const last = Math.min(this.total, Math.ceil((this.box.scrollTop + this.box.clientHeight) / ROW) + 4);
    const rows = [];
    const there = new Map([.../** @type {any} */ (room.children)].map((row) => [row.dataset.facts, row]));
    for (let index = first; index < last; index += 1) {
      const sound = this.sound(index);
      if (sound) rows.push(this.known(there, sound, index) ?? this.row(sound, index));
      else this.page(Math.floor(index / PAGE));
    }
    if (!this.total && this.pages.get(0)) rows.push(this.nothing());
    if (rows.length !== room.children.length || rows.some((row, place) => row !== room.children[place])) room.replaceChildren(...rows);
    const on = room.querySelector(".sound.on");
    if (on) this.box.setAttribute("aria-activedescendant", on.id);
    else this.box.removeAttribute("aria-activedescendant");
  }

  /**
   * @param {any} sound
   * @param {number} index
   */
  factsOf(sound, index) {
    return [index, sound.id, sound.name, sound.role, sound.favourite, sound.in_use, this.asked.role, this.asked.order].join("|");
  }

  /**
   * A row that shows the same still: it stays the same element, so that a second click on it is a double click.
   * @param {any} there
   * @param {any} sound
   * @param {number} index
   */
  known(there, sound, index) {
    const row = there.get(this.factsOf(sound, index));
    if (!row) return null;
    row.classList.toggle("on", index === this.chosen);
    row.setAttribute("aria-current", index === this.chosen);
    return row;
  }

  /**
   * @param {any} sound
   * @param {number} index
   */
  row(sound, index) {
    const row = document.createElement("div");
    row.className = `sound${index === this.chosen ? " on" : ""}`;
    row.id = `sound-${sound.id}`;
    row.dataset.place = String(index);
    row.dataset.facts = this.factsOf(sound, index);
    row.setAttribute("aria-current", index === this.chosen);
    row.style.top = `${index * ROW}px`;
    row.innerHTML = `<svg class="small-wave" viewBox="0 0 100 100" preserveAspectRatio="none" aria-hidden="true"><path d="${sound.path}"/></svg>
      <span class="words"><b></b><small></small></span>
      <span class="measures"><i class="bright"></i><i class="long"></i></span>
      <button type="button" class="star" aria-pressed="${sound.favourite}" tabindex="-1"><svg viewBox="0 0 16 16" aria-hidden="true"><path d="m8 1.500 1.700 4.800 4.800 1.700-4.800 1.700L8 14.500 6.300 9.700 1.500 8l4.800-1.700z"/></svg></button>
      <button type="button" class="out" tabindex="-1">×</button>`;
    row.querySelector("b").textContent = sound.name;
    const where = this.asked.role === "voice" && this.asked.order !== "like" ? "" : ` · ${sound.role_name.toLowerCase()}`;
    row.querySelector("small").textContent = `${KIND_WORDS[sound.source]}${where}${sound.in_use ? " · in use" : ""}`;
    row.querySelector(".bright").style.width = `${sound.bright * 0.4}px`;
    row.querySelector(".long").style.width = `${sound.long * 0.4}px`;
    row.querySelector(".star").setAttribute("aria-label", `Favourite: ${sound.name}`);
    row.querySelector(".out").setAttribute("aria-label", `Take ${sound.name} out of the library`);
    return row;
  }

  nothing() {
    const words = document.createElement("p");
    words.className = "where none";
    const { asked } = this;
    words.textContent = asked.favourite
      ? "No favourites here yet: press f on a sound to keep it at hand."
      : asked.recent
        ? "Nothing was used yet: put a sound on a layer and it shows here."
        : "No sound fits all of this: take a filter off, or bring in sounds of your own.";
    return words;
  }

  // Choosing and hearing --------------------------------------------------------------------------------------------
  /**
   * @param {number} index
   * @param {any} [options]
   */
  choose(index, { play = true } = {}) {
    if (index < 0 || index >= this.total) return;
    this.chosen = index;
    const top = index * ROW;
    if (top < this.box.scrollTop) this.box.scrollTop = top;
    else if (top + ROW > this.box.scrollTop + this.box.clientHeight) this.box.scrollTop = top + ROW - this.box.clientHeight;
    this.draw();
    const sound = this.sound();
    if (!sound) return;
    showLedger(`${sound.name}|${sound.facts}`);
    speak(`${sound.name}, ${sound.facts}${sound.in_use ? ", in use" : ""}`);
    if (play) this.hear();
  }

  /**
   * The next one or the one before, also while the list comes anew: then from what was chosen, once it is there.
   * @param {number} by
   */
  step(by) {
    if (this.arriving && this.chosen < 0 && this.before.chosen) this.later(() => this.step(by));
    else this.choose(by < 0 ? Math.max(0, this.chosen + by) : this.chosen + by);
  }

  /**
   * When the list is there; in the order in which it was asked for.
   * @param {() => unknown} doing
   */
  later(doing) {
    this.awaited += 1;
    this.arriving?.then(() => {
      this.awaited -= 1;
      doing();
    });
  }

  // Whether what is chosen comes in a moment.
  get waits() {
    return Boolean(this.arriving && (this.awaited || !this.sound()));
  }

  hear() {
    if (this.waits) return void this.later(() => this.hear());
    const sound = this.sound();
    if (sound) this.kit.tryOut({ sound, inBeat: this.inBeat });
  }

  put(asLayer = false) {
    if (this.waits) return void this.later(() => this.put(asLayer));
    const sound = this.sound();
    if (!sound) return;
    this.kit.put(sound, asLayer);
  }

  get keys() {
    const when = () => !document.activeElement?.closest("button, a, select, summary, input");
    const chosen = () => when() && Boolean(this.sound());
    return [
      { keys: "ArrowDown", shows: "↑ ↓", words: "step through the sounds", when, run: () => void this.step(1) },
      { keys: "ArrowUp", when, run: () => void this.step(-1) },
      { keys: "Home", when, run: () => void this.choose(0) },
      { keys: "End", when, run: () => void this.choose(this.total - 1) },
      { keys: "ArrowRight", shows: "→", words: "hear it again", when: chosen, run: () => void this.hear() },
      { keys: "Enter", words: "put it on the layer (Shift: as one layer more)", when: chosen, run: () => void this.put(false) },
      { keys: "Shift+Enter", when: chosen, run: () => void this.put(true) },
      { keys: "Escape", when, run: () => void this.kit.endTrial() },
      { keys: "F2", words: "name it", when: chosen, run: () => void rename(this, this.box.querySelector(".sound.on .words")) },
      { keys: "f", words: "a favourite, or not", when: chosen, run: () => void favour(this, this.sound()) },
      { keys: "Delete", words: "take it out of the library", when: chosen, run: () => void takeOut(this, this.sound()) },
    ];
  }

  /** @param {PageEvent} event */
  click(event) {
    const library = event.target.closest?.("#library");
    if (!library) return;
    const row = event.target.closest(".sound");
    if (row) {
      const index = Number(row.dataset.place);
      if (event.target.closest(".star")) favour(this, this.sound(index));
      else if (event.target.closest(".out")) takeOut(this, this.sound(index));
      else if (event.target.closest("input, select")) return;
      else this.choose(index);
      this.box.focus({ preventScroll: true });
      return;
    }
    const button = event.target.closest("button");
    if (!button) return;
    const { dataset } = button;
    if (dataset.findRole !== undefined) this.ask({ role: dataset.findRole });
    else if (dataset.find === "like") askLike(this);
    else if (dataset.find === "fits") this.ask({ order: this.asked.order === "fits" ? "" : "fits" });
    else if (dataset.find) this.ask({ [dataset.find]: !this.asked[dataset.find] });
    else if (dataset.side) this.ask({ [dataset.side]: /** @type {Record<string, any>} */ ({ 0: 1, 1: -1, "-1": 0 })[this.asked[dataset.side]] });
    else if (dataset.source !== undefined) this.ask({ source: KINDS[(KINDS.findIndex(([key]) => key === this.asked.source) + 1) % KINDS.length][0] });
    else if (dataset.audition) {
      this.inBeat = dataset.audition === "beat";
      if (!this.inBeat) this.kit.endTrial();
      this.showAsked();
    }
  }

  // Keeping ---------------------------------------------------------------------------------------------------------

  // Bringing in -----------------------------------------------------------------------------------------------------

}
