// The guide: a long piece of audio under the song; brought in, placed, made louder, muted, heard alone.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { showNote } from "../../shared/notes.js";

const WIDTH = 240; // of its picture
const CLICK = 3; // what is drawn no further than this is a click

export class GuideCard {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    screen.on("click", (event) => this.click(event.target.closest?.("[data-guide] button")));
    /** @type {{ from: number, to: number } | null} */
    this.drawn = null; // a span that is being drawn, as shares of its length
    screen.on("pointerdown", (event) => this.down(event));
    screen.on("pointermove", (event) => this.move(event));
    screen.on("pointerup", () => this.up());
    screen.on("pointercancel", () => this.letGo());
    screen.on("change", (event) => this.change(event.target));
    screen.on("input", (event) => event.target.id === "guide-level" && this.set({ level_db: Number(event.target.value) }, event.target, "guide level"));
  }

  /**
   * @param {any} change
   * @param {Piece} near
   * @param {string | null} [gesture]
   */
  set(change, near, gesture = null) {
    this.screen.edits.push({ kind: "guide_set", ...change }, { near, gesture });
  }

  /** @param {PageEvent} event */
  shareAt(event) {
    const box = byId("guide-picture").getBoundingClientRect();
    return Math.max(0, Math.min(1, (event.clientX - box.left) / box.width));
  }

  /** @param {PageEvent} event */
  down(event) {
    if (!event.target.closest?.("#guide-picture") || event.button > 0) return;
    const share = this.shareAt(event);
    this.drawn = { from: share, to: share };
  }

  /** @param {PageEvent} event */
  move(event) {
    if (!this.drawn) return;
    this.drawn.to = this.shareAt(event);
    this.draw();
  }

  draw() {
    const { from, to } = this.drawn ?? { from: 0, to: 0 };
    const span = document.getElementById("guide-span");
    span?.setAttribute("x", `${Math.min(from, to) * WIDTH}`);
    span?.setAttribute("width", `${Math.abs(to - from) * WIDTH}`);
  }

  // A click is where its bar one is; a span becomes a section.
  up() {
    const { drawn } = this;
    if (!drawn) return;
    const duration = Number(byId("guide-picture").dataset.duration);
    this.letGo();
    const near = byId("guide-picture");
    const [from_s, to_s] = [drawn.from * duration, drawn.to * duration];
    if (Math.abs(drawn.to - drawn.from) * WIDTH < CLICK) this.set({ start_s: Math.round(from_s * 100) / 100 }, near);
    else this.screen.edits.push({ kind: "guide_section", from_s, to_s }, { near });
  }

  letGo() {
    if (!this.drawn) return false;
    this.drawn = null;
    this.draw();
    return true;
  }

  /** @param {Piece | null} button */
  click(button) {
    if (!button) return;
    const { guideSwitch, guideAway, guideTempo, guideFollow, guideBars } = button.dataset;
    if (guideSwitch) this.set({ [guideSwitch]: button.getAttribute("aria-pressed") !== "true" }, button);
    else if (guideAway !== undefined) this.screen.edits.push({ kind: "guide_away" }, { near: button });
    else if (guideFollow) this.screen.edits.push({ kind: "guide_follow", new: guideFollow === "new" }, { near: button });
    else if (guideBars !== undefined) this.compare(button);
    else if (guideTempo !== undefined) this.screen.edits.push({ kind: "guide_tempo" }, { near: button });
  }

  /**
   * Its bars under the section become a loop, and that is shown against all parts.
   * @param {Piece} button
   */
  async compare(button) {
    const { page, edits } = this.screen;
    button.disabled = true;
    const kept = await edits.push({ kind: "guide_keep_bars" }, { near: button });
    button.disabled = false;
    if (!kept) return;
    await page.redraw(`/songs/${page.song.id}/loops`);
    page.screens.loops.uses.compareAll();
  }

  /** @param {Piece} field */
  change(field) {
    if (field.id === "guide-start") this.set({ start_s: Number(field.value) }, field);
    else if (field.id === "guide-bar") this.set({ bar: Number(field.value) }, field);
    else if (field.id === "guide-bring" && field.files.length) this.bring(field);
  }

  /** @param {Piece} field */
  async bring(field) {
    const [file] = field.files;
    const { page } = this.screen;
    showNote("Listening to it; a long file takes a moment.", { near: byId("guide-bring").parentElement });
    const answer = await ask(`/songs/${page.song.id}/guide/upload?name=${encodeURIComponent(file.name)}`, { method: "POST", body: file, headers: { Accept: "application/json" } }).catch(() => null);
    const result = await answer?.json().catch(() => null);
    if (answer?.ok) {
      await page.refresh();
      showNote("The guide lies under the song: press song above to hear it.", { near: byId("takes-guide") });
    } else showNote(result?.error ?? "Easy Pocket does not answer just now: try again.", { near: byId("takes-guide"), wrong: true });
  }
}
