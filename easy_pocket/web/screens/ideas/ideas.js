// The Ideas screen: asks for ideas, shows them as cards, lets them be heard in place, put in, pinned and mixed. What an
// idea is comes from Python; here its changes are kept or dropped, and drawn so.

import { SILENT, bring, drop, endSection, mix, moveWindow, put, showDrop, showDropped, showPin, upload } from "./idea_put.js";
import { byId } from "../../shared/dom.js";
import { ask as askServer } from "../../shared/api.js";
import { cardsOf } from "./idea_cards.js";
import { IdeaHearing } from "./idea_preview.js";
import { IdeaLog } from "./idea_log.js";
import { RateStrip } from "./idea_rates.js";
import { IdeaSettings } from "./idea_settings.js";
import { Screen } from "../../shared/screen.js";
import { showLedger, showNote } from "../../shared/notes.js";
import { addTips } from "../../shared/tip.js";
import { TIPS } from "./tips.js";

addTips(TIPS);

const LEARNED_FROM = ["fill", "variation"]; // of others nothing is learned, so that none is dropped
const ASK_MS = 140; // a slider being dragged is followed when it rests for so long

export default class Ideas extends Screen {
  /** @param {import("../../shared/page.js").Page} page */
  constructor(page) {
    super(page);
    this.settings = new IdeaSettings();
    this.rates = new RateStrip(this.settings);
    this.hearing = new IdeaHearing(this);
    this.log = new IdeaLog(this);
    /** @type {any[]} */
    this.cards = []; // {idea, html, pinned}: what is shown, in order
    /** @type {any[]} */
    this.pins = []; // cards pinned to this pattern, of every kind
    this.at = 0;
    this.batch = 0;
    /** @type {any} */
    this.end = null; // the tick a window ends on; null is the pattern's end
    /** @type {Set<any>} */
    this.seen = new Set();
    /** @type {Map<any, any>} */
    this.dropped = new Map(); // of an idea's key the numbers of changes that are dropped
    this.turn = 0;
    this.settings.listen();
    this.settings.addEventListener("change", () => this.askSoon());
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("dblclick", (event) => this.grid?.contains(event.target) && event.target.closest(".idea-pic") && put(this));
    window.addEventListener("resize", () => this.grid && this.rates.draw());
  }

  get box() {
    return document.querySelector("[data-ideas]");
  }

  get grid() {
    return byId("idea-grid");
  }

  get kind() {
    return this.settings.kind;
  }

  get card() {
    return this.cards[this.at];
  }

  get idea() {
    return this.card?.idea;
  }

  get work() {
    return this.grid;
  }

  unmount() {
    this.hearing.end();
    this.log.rememberPassed();
  }

  mount() {
    const data = JSON.parse(byId("idea-data").textContent);
    const changed = this.data && this.data.length !== data.length;
    this.data = data;
    if (changed || this.end > data.length) this.end = null;
    this.settings.arrive(data);
    this.log.forgotten = false;
    this.showKind();
    this.log.show(this.log.part);
    this.cards = this.pins = [];
    this.seen.clear();
    if (data.pinned.length) this.log.pinnedBack().then(() => this.ask());
    else this.ask();
  }

  /**
   * The song changed: what is shown was for another pattern.
   * @param {any} options
   */
  async follow({ more }) {
    if (more) return;
    if (!this.box) return;
    const answer = await askServer(`${location.pathname}`, { headers: { Accept: "text/html" } }).catch(() => null);
    if (!answer?.ok || !this.box) return;
    const fresh = new DOMParser().parseFromString(await answer.text(), "text/html");
    byId("idea-data").textContent = fresh.querySelector("#idea-data").textContent;
    byId("build-order").replaceChildren(...document.adoptNode(fresh.querySelector("#build-order")).children);
    this.data = JSON.parse(byId("idea-data").textContent);
    if (this.end > this.data.length) this.end = null;
    this.settings.arrive(this.data);
    this.showWhere();
    this.batch = 0;
    this.ask();
  }

  get windowEnd() {
    return this.end ?? this.data.length;
  }

  get windowBegin() {
    return Math.max(0, this.windowEnd - this.settings.beats * this.data.pulse);
  }

  showKind() {
    for (const button of this.box.querySelectorAll("[data-idea-kind]")) {
      const on = button.dataset.ideaKind === this.kind;
      button.classList.toggle("on", on);
      button.setAttribute("aria-pressed", on);
    }
    const fills = this.kind === "fill";
    byId("idea-bring").hidden = byId("idea-mix").hidden = byId("idea-end").hidden = !fills;
    byId("idea-window").hidden = !(fills || this.kind === "roll");
    byId("idea-more").textContent = { grow: "Draw again", build: "Ask again" }[this.kind] ?? "Six more";
    this.grid.dataset.kind = this.kind;
    this.settings.show();
    this.showWhere();
    this.rates.draw();
  }

  // "bar 8, beats 3-4"
  showWhere() {
    const { bar, pulse, section, bars } = this.data;
    const [begin, end] = [this.windowBegin, this.windowEnd];
    const first = Math.floor(begin / bar);
    const last = Math.floor((end - 1) / bar);
    const beat = (/** @type {number} */ tick) => Math.floor((tick % bar) / pulse) + 1;
    /** @type {Record<string, any>} */
    const words = {
      variation: `${section}, ${this.settings.now.bars ? `bars ${this.settings.now.from_bar} on` : `${bars} bar${bars > 1 ? "s" : ""}`}`,
      grow: `${section}, ${bars} bar${bars > 1 ? "s" : ""} now`,
      build: `up to ${section}`,
      borrow: `into ${section}`,
    };
    const inBar = beat(begin) === beat(end - 1) ? `beat ${beat(begin)}` : `beats ${beat(begin)}–${beat(end - 1)}`;
    byId("idea-where").textContent = words[this.kind] ?? (first === last ? `bar ${first + 1}, ${inBar}` : `bars ${first + 1}–${last + 1}`);
  }

  // Asking -----------------------------------------------------------------------------------------------------------
  askSoon() {
    this.showWhere();
    this.rates.draw();
    this.grid?.setAttribute("aria-busy", true);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      this.batch = 0;
      this.seen.clear();
      this.ask();
    }, ASK_MS);
  }

  /**
   * @param {string} path
   * @param {any} body
   */
  async send(path, body) {
    const options = { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(body) };
    const answer = await askServer(`/songs/${this.page.song.id}/ideas${path}`, options).catch(() => null);
    const result = await answer?.json().catch(() => null);
    return answer?.ok ? result : { error: result?.error || SILENT };
  }

  async ask() {
    if (!this.box) return;
    const turn = (this.turn += 1);
    this.grid.setAttribute("aria-busy", true);
    const told = await this.send("", this.settings.body(this.windowEnd, this.batch, [...this.seen].slice(-1200)));
    if (turn !== this.turn || !this.box) return;
    this.grid.removeAttribute("aria-busy");
    const pinned = this.pins.filter(({ idea }) => (idea.kind === "mix" ? "fill" : idea.kind) === this.kind);
    if (told.error) {
      this.say(told.error, true);
      this.cards = pinned;
    } else {
      this.say(told.words);
      this.log.learned(told.learned);
      const fresh = cardsOf(told).filter((/** @type {any} */ card) => !pinned.some((one) => one.idea.key === card.idea.key));
      for (const { idea } of fresh) this.seen.add(idea.key);
      this.cards = [...pinned, ...fresh];
    }
    const first = this.cards.findIndex((card) => !card.pinned);
    this.draw(Math.max(0, first));
    this.hearing.answered();
  }

  /**
   * @param {string} words
   * @param {any} [wrong]
   */
  say(words, wrong = false) {
    byId("idea-state").hidden = !words;
    byId("idea-state").textContent = words;
    byId("idea-state").classList.toggle("wrong", wrong);
  }

  more() {
    if (this.kind === "grow") {
      this.settings.seed = 1 + Math.floor(Math.random() * 99999);
      this.settings.set("again", {});
      return;
    }
    const left = this.cards.filter((card) => !card.pinned && !card.taken && !card.dropped).map((card) => card.idea);
    this.batch += 1;
    this.ask();
    if (this.kind !== "build") this.log.passedOver(left);
  }

  /**
   * A card that joins those shown, in front of them.
   * @param {any} told
   */
  join(told) {
    if (told.error) {
      this.say(told.error, true);
      return;
    }
    this.say("");
    this.turn += 1;
    const fresh = cardsOf(told);
    this.cards = [...fresh, ...this.cards.filter((card) => !fresh.some((/** @type {any} */ one) => one.idea.key === card.idea.key))];
    this.draw(0, true);
  }

  // Cards ------------------------------------------------------------------------------------------------------------
  draw(at = 0, heard = false) {
    this.grid.innerHTML = this.cards.map((card) => card.html).join("");
    [.../** @type {any} */ (this.grid.children)].forEach((element, number) => {
      element.dataset.card = number;
      const card = this.cards[number];
      if (!card.bar && card.pinned !== undefined) showPin(this, element, card);
      showDrop(element, card);
      element.querySelector("[data-idea-drop]").hidden = !LEARNED_FROM.includes(this.kind);
      if (["grow", "build"].includes(this.kind)) element.querySelectorAll("[data-idea-pin]").forEach((/** @type {Piece} */ pin) => (pin.hidden = true));
      if (["grow", "build"].includes(this.kind)) element.querySelector("[data-idea-put]").hidden = true; // it is put in whole
      showDropped(this, element, card.idea);
    });
    this.grid.dataset.count = String(Math.min(this.cards.length, 12));
    if (!this.cards.length) this.hearing.end();
    this.choose(Math.min(at, this.cards.length - 1), heard || this.hearing.on);
  }

  /**
   * @param {number} at
   * @param {any} [heard]
   */
  choose(at, heard = this.hearing.on || this.page.player.running) {
    this.at = Math.max(0, at);
    [...this.grid.children].forEach((element, number) => {
      element.classList.toggle("on", number === this.at);
      element.setAttribute("aria-current", number === this.at);
    });
    this.log.showChanges();
    if (!this.idea) {
      showLedger("");
      return;
    }
    this.grid.children[this.at].scrollIntoView({ block: "nearest" });
    showLedger(`${this.kind === "grow" || this.kind === "build" ? this.card.title : `idea ${this.card.title}`}||${this.idea.line} · ${this.idea.words}${this.idea.seed ? `|seed ${this.idea.seed}` : ""}`);
    byId("spoken").textContent = `${this.card.title}: ${this.card.words}`;
    if (heard && (this.hearing.on || this.page.player.running)) this.hearing.hear(this.idea, this.card);
  }

  // What is kept of an idea.
  kept(idea = this.idea) {
    const dropped = this.dropped.get(idea.key);
    return dropped ? idea.changes.filter((/** @type {any} */ _, /** @type {number} */ number) => !dropped.has(number)) : idea.changes;
  }

  /**
   * @param {number} number
   * @param {boolean} on
   */
  keep(number, on) {
    const dropped = this.dropped.get(this.idea.key) ?? new Set();
    if (on) dropped.delete(number);
    else dropped.add(number);
    this.dropped.set(this.idea.key, dropped);
    this.showKept();
  }

  showKept() {
    [...this.grid.children].forEach((element, number) => showDropped(this, element, this.cards[number].idea));
    this.log.showCount();
    this.hearing.again();
  }

  /**
   * It is in the pattern now; one that was refused is neither praised nor listed as taken.
   * @param {any} idea
   */
  taken(idea) {
    for (const card of this.cards) card.taken ||= card.idea.key === idea.key;
    this.log.remember("taken", [idea]);
    showNote(`${idea.words}: in the pattern. Undo takes it back.`, { near: byId("undo") });
  }

  pin(at = this.at) {
    const card = this.cards[at];
    if (!card || ["grow", "build"].includes(this.kind)) return;
    card.pinned = !card.pinned;
    this.pins = card.pinned ? [...this.pins, card] : this.pins.filter((one) => one !== card);
    showPin(this, this.grid.children[at], card);
    card.dropped = card.dropped && !card.pinned;
    showDrop(this.grid.children[at], card);
    this.log.remember(card.pinned ? "pinned" : "passed", [card.idea]);
  }

  /** @param {string} kind */
  show(kind) {
    if (kind === this.kind) return;
    this.hearing.end();
    this.settings.kind = kind;
    this.batch = 0;
    this.seen.clear();
    this.cards = [];
    this.draw();
    this.showKind();
    this.ask();
  }

  // Clicks and keys --------------------------------------------------------------------------------------------------
  /** @param {PageEvent} event */
  click(event) {
    if (!this.box) return;
    const card = event.target.closest?.("[data-card]");
    if (card && this.grid.contains(card)) this.choose(Number(card.dataset.card));
    const button = event.target.closest?.("button");
    if (!button) return;
    const { dataset } = button;
    if (dataset.ideaKind) this.show(dataset.ideaKind);
    else if (dataset.ideaBar) moveWindow(this, Number(dataset.ideaBar));
    else if (button.id === "idea-more") this.more();
    else if (button.id === "idea-hear") this.hearing.toggle();
    else if (button.id === "idea-end") endSection(this, button);
    else if (dataset.ideaDrop !== undefined) drop(this, Number(card.dataset.card));
    else if (dataset.ideaPin !== undefined) this.pin(Number(card.dataset.card));
    else if (button.id === "idea-put" || dataset.ideaPut !== undefined || dataset.putKept !== undefined) put(this);
    else if (dataset.ideaAgain) this.again(Number(dataset.ideaAgain));
    else if (dataset.ideaMix) mix(this, dataset.ideaMix, button);
    else if (dataset.ideaBring !== undefined) bring(this);
    else this.log.click(button);
  }

  /**
   * A bar of a grown pattern drawn anew; the others stay.
   * @param {number} bar
   */
  again(bar) {
    const { again } = this.settings.now;
    this.settings.now.again = { ...again, [bar]: (again[bar] ?? 0) + 1 };
    this.ask();
  }

  /** @param {any} options */
  change({ target }) {
    if (!this.box) return;
    if (target.id === "idea-file" && target.files.length) upload(this, target.files[0]);
    else if (target.dataset.change !== undefined) this.keep(Number(target.dataset.change), target.checked);
  }

  /** @returns {import("../../shared/keys.js").KeyRow[]} */
  get keys() {
    const focus = () => {
      const { activeElement: focused } = document;
      return !focused || focused === document.body || focused === this.grid || focused.id === "screen" || Boolean(focused.closest(".tools"));
    };
    const when = () => focus() && this.cards.length > 0;
    const columns = () => getComputedStyle(this.grid).gridTemplateColumns.split(" ").length;
    const step = (/** @type {number} */ by) => this.choose(Math.max(0, Math.min(this.cards.length - 1, this.at + by)));
    return [
      ...this.rates.keys,
      { keys: "ArrowRight", shows: "arrows", words: "step through the cards and hear them", when, run: () => step(1) },
      { keys: "ArrowLeft", when, run: () => step(-1) },
      { keys: "ArrowDown", when, run: () => step(columns()) },
      { keys: "ArrowUp", when, run: () => step(-columns()) },
      { keys: "Enter", words: "put it in", when: () => when() && document.activeElement === this.grid, run: () => void put(this) },
      { keys: "p", words: "pin it", when, run: () => void this.pin() },
      { keys: "Delete Backspace", words: "drop it: others like it come less", when: () => when() && LEARNED_FROM.includes(this.kind), run: () => drop(this) },
      { keys: "Escape", when: () => when() && Boolean(this.hearing.on), run: () => void this.hearing.end() },
    ];
  }
}
