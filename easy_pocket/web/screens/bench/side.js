// The column beside the rails: the feel, tightening with its preview, and the pocket in full.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { showNote } from "../../shared/notes.js";
import { placeOf } from "../../shared/rail_data.js";
import { paintAll } from "../../shared/sliders.js";
import { GrooveList, idOf } from "../../shared/try_out.js";

const REST_MS = 120;

export class Side {
  /** @param {any} bench */
  constructor(bench) {
    this.bench = bench;
    const { page } = bench;
    this.page = page;
    this.shown = "feel";
    this.target = "grid";
    this.sides = { one: "felt", other: "" };
    this.list = new GrooveList(page.tryOut, { scope: () => page.view.scope, take: (/** @type {any} */ id) => this.takeGroove(id), leave: () => this.closeChooser() });
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("tab", ({ detail }) => detail.of === "bench" && this.show(detail.shown));
    document.addEventListener("input", (event) => event.target.closest?.("#tighten") && this.preview());
    document.addEventListener("change", (event) => this.change(event));
    document.addEventListener("pointerdown", (event) => this.choosing && !event.target.closest?.("#groove-chooser, [data-groove-open]") && this.closeChooser());
  }

  get box() {
    return byId("bench-side");
  }

  get choosing() {
    const chooser = byId("groove-chooser");
    return Boolean(chooser && !chooser.hidden);
  }

  get rails() {
    return this.bench.rails;
  }

  get chosen() {
    return this.rails.chosen.hits.map(placeOf);
  }

  arrive() {
    if (this.box) this.show(this.shown);
  }

  /**
   * Another tab is shown.
   * @param {string} part
   */
  show(part) {
    this.shown = part;
    this.box.dataset.side = part;
    if (part === "tighten") this.showTarget();
    else this.clearPreview();
    if (part === "pocket") this.loadPocket();
    this.rails.later();
  }

  // The song or what is chosen has changed.
  follow() {
    if (!this.box || this.shown === "feel") return;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => (this.shown === "tighten" ? this.preview() : this.loadPocket()), REST_MS);
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (!button) return;
    const { dataset } = button;
    if (dataset.tightenTarget) this.aim(dataset.tightenTarget);
    else if (button.id === "tighten-propose") this.takeProposal(button);
    else if (button.id === "tighten-do") this.tighten(button);
    else if (dataset.pocketCopy !== undefined) this.copy(button);
    else if (dataset.worstVoice) this.goTo(dataset.worstVoice, Number(dataset.worstTick));
    else if (dataset.grooveOpen !== undefined) this.openChooser(button);
    else if (button.closest("#groove-chooser") && dataset.grooveId) this.takeGroove(idOf(button));
    else if (dataset.reach) this.reach(button);
    else if (dataset.reachSet) this.reachSet(dataset.reachSet, button);
    else if (dataset.writeIn !== undefined) this.page.edits.push({ kind: "write_in", scope: this.page.view.scope }, { near: button });
    else if (dataset.straightAgain !== undefined) this.straightAgain(button);
  }

  /** @param {PageEvent} event */
  change(event) {
    const { target } = event;
    if (target.closest?.("#tighten")) this.preview();
    else if (target.id === "pocket-one" || target.id === "pocket-other") {
      this.sides = { one: byId("pocket-one").value, other: byId("pocket-other").value };
      this.loadPocket();
    }
  }

  // Groove: chosen by ear ------------------------------------------------------------------------------------------
  /** @param {Piece} button */
  async openChooser(button) {
    const chooser = byId("groove-chooser");
    if (this.choosing) {
      this.closeChooser();
      return;
    }
    const answer = await ask(`/songs/${this.page.song.id}/grooves/list?chosen=${button.dataset.groove}`).catch(() => null);
    if (!answer?.ok) return;
    const box = chooser.querySelector(".groove-list");
    box.innerHTML = await answer.text();
    chooser.querySelector("[data-find-in]").value = "";
    const at = button.getBoundingClientRect();
    chooser.style.top = `${Math.min(at.bottom + 4, window.innerHeight - 430)}px`;
    chooser.hidden = false;
    button.setAttribute("aria-expanded", "true");
    box.focus({ preventScroll: true });
    box.querySelector(".on")?.scrollIntoView({ block: "nearest" });
  }

  closeChooser() {
    byId("groove-chooser").hidden = true;
    const button = document.querySelector("[data-groove-open]");
    button?.setAttribute("aria-expanded", "false");
    button?.focus({ preventScroll: true });
    this.page.tryOut.end();
  }

  /** @param {any} id */
  takeGroove(id) {
    this.page.tryOut.keep(); // what is tried is what will be answered
    byId("groove-chooser").hidden = true;
    this.bench.feel.feel("template_id", id, document.querySelector("[data-groove-open]"));
  }

  get keys() {
    const open = () => document.querySelector("[data-groove-open]")?.click();
    return [
      ...this.list.keys(() => this.choosing && byId("groove-chooser").querySelector(".groove-list")),
      { keys: "o", words: "step through grooves (↑ ↓), Enter takes one", when: () => Boolean(this.box) && this.shown === "feel", run: open },
    ];
  }

  // Reach ----------------------------------------------------------------------------------------------------------
  reached() {
    return [...document.querySelectorAll("[data-reach]")].filter((button) => button.getAttribute("aria-pressed") === "true").map((button) => button.dataset.reach);
  }

  /** @param {Piece} button */
  reach(button) {
    const { reach } = button.dataset;
    const now = this.reached();
    this.page.edits.push({ kind: "reach", voices: now.includes(reach) ? now.filter((voice) => voice !== reach) : [...now, reach] }, { near: button });
  }

  /**
   * @param {any} which
   * @param {Piece} near
   */
  reachSet(which, near) {
    const voices = [...document.querySelectorAll(which === "all" ? "[data-reach]" : "[data-cymbal]")].map((button) => button.dataset.reach);
    this.page.edits.push({ kind: "reach", voices }, { near });
  }

  /** @param {Piece} near */
  straightAgain(near) {
    const { scope } = this.page.view;
    const ofVoice = scope !== "stack" && scope !== "part" && !this.chosen.length;
    const places = ofVoice ? this.rails.data.hits(scope).map(placeOf) : this.chosen; // none: all
    if (ofVoice && !places.length) showNote("This voice has no hits yet: write some first.", { near, wrong: true });
    else this.page.edits.push({ kind: "straight_again", places, step_ticks: this.rails.facts.step }, { near });
  }

  // Tighten --------------------------------------------------------------------------------------------------------
  /** @param {any} target */
  aim(target) {
    this.target = target;
    this.showTarget();
  }

  showTarget() {
    for (const button of this.box.querySelectorAll("[data-tighten-target]")) {
      button.classList.toggle("on", button.dataset.tightenTarget === this.target);
      button.setAttribute("aria-pressed", button.dataset.tightenTarget === this.target);
    }
    for (const line of this.box.querySelectorAll("[data-tighten-of]")) line.hidden = line.dataset.tightenOf !== this.target;
    this.preview();
  }

  wanted() {
    return {
      target: this.target,
      strength_percent: Number(byId("tighten-strength").value),
      leave_alone_ms: Number(byId("tighten-window").value),
      step_ticks: Number(byId("tighten-grid").value),
      swing_percent: Number(byId("tighten-swing").value.replace(",", ".")) || 0,
      swing_unit: Number(byId("tighten-unit").value),
      template_id: this.target === "groove" ? Number(byId("tighten-groove").value) || null : null,
      places: this.chosen,
    };
  }

  async preview() {
    if (this.shown !== "tighten" || !this.box) return;
    paintAll(byId("tighten"));
    byId("tighten-strength-words").textContent = `${byId("tighten-strength").value} %`;
    byId("tighten-window-words").textContent = `${byId("tighten-window").value} ms`;
    const count = this.chosen.length;
    byId("tighten-of").textContent = count ? `${count} chosen` : "all hits";
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const options = { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(this.wanted()) };
    const answer = await ask(`/songs/${this.page.song.id}/tighten`, options).catch(() => null);
    const found = await answer?.json().catch(() => null);
    if (turn !== this.turn || this.shown !== "tighten" || !found) return;
    if (answer?.ok) this.showPreview(found);
    else this.refused(found.error);
  }

  /** @param {string} words */
  refused(words) {
    this.clearPreview();
    byId("tighten-words").textContent = "";
    byId("tighten-warning").textContent = words;
    byId("tighten-warning").hidden = false;
    byId("tighten-propose").hidden = true;
    byId("tighten-do").disabled = true;
  }

  /** @param {any} found */
  showPreview(found) {
    const marks = new Map();
    for (const [voice, moves] of Object.entries(found.moves)) marks.set(voice, new Map(moves.tick.map((/** @type {number} */ tick, /** @type {number} */ index) => [tick, moves.by[index]])));
    this.rails.marks.targets = marks;
    this.rails.later();
    byId("tighten-words").textContent = found.count ? `${found.count} of ${found.hits} hits move; the mean distance goes from ${found.mean_was.toFixed(1)} to ${found.mean_is.toFixed(1)} ms.` : "No hit moves.";
    byId("tighten-warning").textContent = found.warning;
    byId("tighten-warning").hidden = !found.warning;
    const propose = byId("tighten-propose");
    propose.hidden = !found.proposed;
    propose.dataset.ticks = found.proposed_ticks ?? "";
    propose.textContent = found.proposed_name ? `Use ${found.proposed_name}` : "";
    byId("tighten-do").disabled = !found.count;
  }

  clearPreview() {
    if (!this.rails.marks.targets) return;
    this.rails.marks.targets = null;
    this.rails.later();
  }

  /** @param {Piece} button */
  takeProposal(button) {
    byId("tighten-grid").value = button.dataset.ticks;
    this.preview();
  }

  /** @param {Piece} near */
  tighten(near) {
    this.clearPreview();
    this.page.edits.push({ kind: "tighten", ...this.wanted() }, { near });
  }

  // Pocket ---------------------------------------------------------------------------------------------------------
  async loadPocket() {
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const options = { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify({ ...this.sides, places: this.chosen }) };
    const answer = await ask(`/songs/${this.page.song.id}/pocket`, options).catch(() => null);
    const result = await answer?.json().catch(() => null);
    if (turn !== this.turn || this.shown !== "pocket" || !byId("full-pocket")) return;
    if (!answer?.ok) {
      showNote(result?.error || "Easy Pocket does not answer just now.", { near: this.box, wrong: true });
      return;
    }
    const focused = document.activeElement?.id;
    byId("full-pocket").innerHTML = result.html;
    if (focused?.startsWith("pocket-")) byId(focused)?.focus({ preventScroll: true });
  }

  /** @param {Piece} near */
  async copy(near) {
    const field = byId("pocket-table");
    const done = await navigator.clipboard?.writeText(field.value).then(() => true, () => false);
    if (!done) {
      field.select();
      document.execCommand("copy");
    }
    showNote("The figures are on the clipboard, as a table.", { near });
  }

  /**
   * @param {string} voice
   * @param {number} tick
   */
  goTo(voice, tick) {
    const { look, facts } = this.rails;
    if (tick < look.start || tick >= look.end) this.rails.show(Math.floor(tick / facts.bar) * facts.bar, look.end - look.start);
    this.rails.goTo(voice, tick);
  }
}
