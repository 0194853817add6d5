// The hand in a take, and the hands on the shelf: looked at, kept, set to play, made a groove, in and out as files.

import { byId } from "../../shared/dom.js";
import { ask, newEditId } from "../../shared/api.js";
import { Refused, resultInNote } from "../../shared/jobs.js";
import { showNote } from "../../shared/notes.js";
import { askJson } from "./ask_json.js";

const MANY_HITS = 600; // to learn from more takes a moment: a job does it

export class HandCard {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    this.shown = ""; // what was asked to be shown, drawn again after answers
    this.turn = 0;
  }

  get hand() {
    return Number(byId("which-hand")?.value || 0);
  }

  // Whether the take that is shown says something of its player: then others are drawn over it.
  get enough() {
    return !byId("hand-keep").disabled;
  }

  link() {
    const file = byId("hand-file");
    if (file) file.href = `/hands/${this.hand}/hand.json`;
  }

  /**
   * @param {string} address
   * @param {Piece} near
   */
  async look(address, near) {
    const turn = (this.turn += 1);
    const answer = await this.learned(address, near);
    if (turn !== this.turn || !document.getElementById("hand-shown")) return;
    if (answer.error) {
      showNote(answer.error, { near, wrong: true });
      return;
    }
    this.shown = answer.html;
    this.draw();
  }

  /**
   * Of many hits it is learned by a job first.
   * @param {string} address
   * @param {Piece} near
   * @returns {Promise<any>}
   */
  async learned(address, near) {
    const answer = await askJson(address);
    if (!answer.job) return answer;
    try {
      await resultInNote(answer.job, { near, doing: "Learning" });
      return await this.learned(address, near);
    } catch (error) {
      return { error: error instanceof Refused ? error.message : "Easy Pocket does not answer just now: try again." };
    }
  }

  /**
   * @param {import("../../shared/shapes").Edit} edit
   * @param {Piece} near
   */
  keep(edit, near) {
    const { page, data } = this.screen;
    const played = (data?.take?.passes ?? []).reduce((sum, one) => sum + one.played, 0);
    return played > MANY_HITS ? page.edits.pushLong(edit, { near, doing: "Learning" }) : page.edits.push(edit, { near });
  }

  // What is shown was made by the server's templates, and outlives what is swapped around it.
  draw() {
    const box = document.getElementById("hand-shown");
    if (!box || !this.shown) return;
    box.replaceChildren(...new DOMParser().parseFromString(this.shown, "text/html").body.childNodes);
  }

  /** @param {Piece} button */
  click(button) {
    const { page, data } = this.screen;
    const take = data?.take?.id;
    const song = page.song.id;
    /** @type {Record<string, () => unknown>} */
    const deeds = {
      "hand-look": () => this.look(`/songs/${song}/takes/${take}/hand`, button),
      "hand-show": () => this.look(this.enough ? `/songs/${song}/takes/${take}/hand?beside=${this.hand}` : `/hands/${this.hand}/picture`, button),
      "hand-keep": () => take && this.keep({ kind: "hand_keep", take_id: take, name: "", pass_ids: [] }, button),
      "hand-play": () => page.edits.push({ kind: "hand_play", hand_id: this.hand, part_id: data?.part ?? 0 }, { near: button }),
      "hand-groove": () => page.edits.push({ kind: "hand_groove", hand_id: this.hand }, { near: button }).then((/** @type {any} */ made) => made && showNote("The groove is on the shelf of grooves.", { near: button })),
    };
    return deeds[button.id]?.();
  }

  /** @param {Piece} field */
  async bring(field) {
    const [file] = field.files;
    field.value = "";
    if (!file) return;
    const { page } = this.screen;
    const address = `/songs/${page.song.id}/hands/upload?name=${encodeURIComponent(file.name)}&edit_id=${newEditId()}`;
    const answer = await ask(address, { method: "POST", body: file, headers: { Accept: "application/json" } }).catch(() => null);
    const result = await answer?.json().catch(() => null);
    if (!answer?.ok) showNote(result?.error ?? "Easy Pocket does not answer just now: try again.", { near: byId("hand-show"), wrong: true });
    else page.refresh();
  }
}
