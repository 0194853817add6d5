// Beside the ideas: the changes of the chosen one, each kept or dropped; and the log of those taken, pinned, dropped.

import { byId } from "../../shared/dom.js";
import { ask as askServer } from "../../shared/api.js";
import { cardsOf } from "./idea_cards.js";

const REST_MS = 700;
/** @type {Record<string, any>} */
const STATE_WORDS = { pinned: "pinned", taken: "taken", dropped: "dropped", passed: "passed" };

export class IdeaLog {
  /** @type {any[]} */
  passed = [];
  /** @param {any} ideas */
  constructor(ideas) {
    this.ideas = ideas;
    this.part = "ask";
    document.addEventListener("tab", ({ detail }) => detail.of === "ideas" && this.show(detail.shown));
  }

  /** @param {Piece} button */
  click(button) {
    const { keepAll, keepNone, back, backOne, forget } = button.dataset;
    if (keepAll !== undefined) this.keepEach(true);
    else if (keepNone !== undefined) this.keepEach(false);
    else if (forget !== undefined) this.forget();
    else if (back) this.bringBack(`state=${back}`);
    else if (backOne) this.bringBack(`idea_id=${backOne}`);
  }

  /** @param {any} part */
  async show(part) {
    this.part = part;
    if (part !== "log") return;
    await this.rememberPassed();
    this.fetch();
  }

  // Changes ----------------------------------------------------------------------------------------------------------
  // Of a grown pattern the copies are no choice: they are what it grows from. Of a card that is one bar, only its own.
  shown() {
    const { idea, card } = this.ideas;
    if (!idea) return [];
    const own = (/** @type {any} */ { change, number }) => (card.changes ? card.changes.includes(number) : !["copy", "clear"].includes(change.kind));
    return idea.changes.map((/** @type {any} */ change, /** @type {number} */ number) => ({ change, number })).filter(own);
  }

  showChanges() {
    const { idea, dropped } = this.ideas;
    const off = idea ? dropped.get(idea.key) : null;
    byId("change-list").replaceChildren(
      ...this.shown().map((/** @type {any} */ { change, number }) => {
        const line = document.createElement("li");
        const label = Object.assign(document.createElement("label"), { className: "check" });
        const box = Object.assign(document.createElement("input"), { type: "checkbox", checked: !off?.has(number) });
        box.dataset.change = number;
        label.append(box, ` ${change.words}`);
        line.append(label);
        return line;
      }),
    );
    this.showCount();
    if (this.part !== "ask") this.show(this.part);
  }

  showCount() {
    const shown = this.shown();
    const off = this.ideas.idea ? this.ideas.dropped.get(this.ideas.idea.key) : null;
    const kept = shown.filter((/** @type {any} */ { number }) => !off?.has(number)).length;
    byId("change-count").textContent = shown.length ? `${kept} of ${shown.length} changes kept` : "no idea is chosen";
    document.querySelector("[data-put-kept]").disabled = !this.ideas.idea || !this.ideas.kept().length;
  }

  /** @param {boolean} on */
  keepEach(on) {
    const { ideas } = this;
    if (!ideas.idea) return;
    const off = new Set(ideas.dropped.get(ideas.idea.key) ?? []);
    for (const { number } of this.shown()) {
      if (on) off.delete(number);
      else off.add(number);
    }
    ideas.dropped.set(ideas.idea.key, off);
    this.showChanges();
    ideas.showKept();
  }

  /**
   * Ideas that made room for others are remembered when the hands rest: what is waited for comes first.
   * @param {any} ideas
   */
  passedOver(ideas) {
    this.passed = [...this.passed, ...ideas].slice(-24);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.rememberPassed(), REST_MS);
  }

  rememberPassed() {
    clearTimeout(this.timer);
    const { passed } = this;
    this.passed = [];
    return passed.length ? this.remember("passed", passed) : null;
  }

  // Log --------------------------------------------------------------------------------------------------------------
  /**
   * @param {any} state
   * @param {any} ideas
   */
  async remember(state, ideas) {
    const docs = ideas.slice(0, 24).map((/** @type {any} */ { kind, key, words, tags, traits = [], seed, length_ticks, changes }) => ({ kind, key, words, tags, traits, seed, length_ticks, changes }));
    const told = await this.ideas.send("/log", { state, ideas: docs });
    if (told.log && this.part === "log") this.list(told.log);
    this.learned(told.learned);
  }

  /**
   * What was learned from what was kept and dropped, in words.
   * @param {string | undefined} words
   */
  learned(words) {
    if (words !== undefined && this.ideas.box) byId("idea-learned").textContent = words;
  }

  // What was kept and dropped so far counts no more; pressed again, it counts as before.
  async forget() {
    this.forgotten = !this.forgotten;
    const told = await this.ideas.send("/choices", { kind: this.ideas.kind, forgotten: this.forgotten });
    if (told.error) {
      this.forgotten = !this.forgotten;
      this.ideas.say(told.error, true);
      return;
    }
    document.querySelector("[data-forget]").textContent = this.forgotten ? "take that back" : "forget";
    this.learned(told.learned);
    this.ideas.askSoon();
  }

  async fetch() {
    const answer = await askServer(`/songs/${this.ideas.page.song.id}/ideas/log`).catch(() => null);
    if (answer?.ok && this.ideas.box) this.list((await answer.json()).log);
  }

  /** @param {any} log */
  list(log) {
    const lines = log.map((/** @type {any} */ entry) => {
      const line = document.createElement("li");
      const words = document.createElement("span");
      const what = Object.assign(document.createElement("b"), { textContent: `${STATE_WORDS[entry.state]} ${entry.kind}` });
      words.append(what, ` ${entry.words}`, Object.assign(document.createElement("small"), { textContent: ` · ${entry.changes} changes · seed ${entry.seed}` }));
      const back = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: "show" });
      back.dataset.backOne = entry.id;
      line.append(words, back);
      line.dataset.state = entry.state;
      return line;
    });
    if (!lines.length) lines.push(Object.assign(document.createElement("li"), { textContent: "Nothing yet: what you put in, pin or pass over is listed here.", className: "where" }));
    byId("idea-log").replaceChildren(...lines);
  }

  /** @param {any} query */
  async bringBack(query) {
    await this.rememberPassed();
    const answer = await askServer(`/songs/${this.ideas.page.song.id}/ideas/log/back?${query}`, { headers: { Accept: "application/json" } }).catch(() => null);
    const told = await answer?.json().catch(() => null);
    this.ideas.join(told ?? { error: "The log does not answer just now. Try again in a moment." });
  }

  // Those pinned to this pattern, when the screen is opened.
  async pinnedBack() {
    const answer = await askServer(`/songs/${this.ideas.page.song.id}/ideas/log/back?state=pinned`, { headers: { Accept: "application/json" } }).catch(() => null);
    if (answer?.ok && this.ideas.box) this.ideas.pins = cardsOf(await answer.json());
  }
}
