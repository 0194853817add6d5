// The guide: a long piece of audio under the song; brought in, placed, made louder, muted, heard alone.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { showNote } from "../../shared/notes.js";

export class GuideCard {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    screen.on("click", (event) => this.click(event.target.closest?.("[data-guide] button")));
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

  /** @param {Piece | null} button */
  click(button) {
    if (!button) return;
    const { guideSwitch, guideAway, guideTempo } = button.dataset;
    if (guideSwitch) this.set({ [guideSwitch]: button.getAttribute("aria-pressed") !== "true" }, button);
    else if (guideAway !== undefined) this.screen.edits.push({ kind: "guide_away" }, { near: button });
    else if (guideTempo !== undefined) this.screen.edits.push({ kind: "guide_tempo" }, { near: button });
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
