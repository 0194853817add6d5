// A pass or the result, heard in the beat or alone; what is sewn meanwhile is heard at once.

import { showNote } from "../../shared/notes.js";
import { askJson } from "./ask_json.js";

export class Hearing {
  /** @param {import("./takes.js").default} screen */
  constructor(screen) {
    this.screen = screen;
    /** @type {number | null} */
    this.pass = null; // 0 is the result
    this.alone = false;
    this.turn = 0;
  }

  get player() {
    return this.screen.page.player;
  }

  show() {
    for (const button of document.querySelectorAll("[data-hear]")) button.setAttribute("aria-pressed", `${this.pass === Number(button.dataset.hear)}`);
  }

  /**
   * @param {number} pass
   * @param {boolean} alone
   */
  async toggle(pass, alone) {
    if (this.pass === pass) {
      this.end();
      return;
    }
    Object.assign(this, { pass, alone });
    this.show();
    if ((await this.ask()) && !this.player.running) this.player.start("stack");
  }

  end() {
    this.turn += 1;
    this.pass = null;
    this.show();
    if (this.player.beside) this.player.setBeside(null);
  }

  follow() {
    this.show();
    if (this.pass !== null) this.ask();
  }

  // What it sounds like now, heard from here on; whether that came.
  async ask() {
    const { screen, player } = this;
    const take = screen.data?.take;
    const turn = (this.turn += 1);
    if (!take) return false;
    const answer = await askJson(`/songs/${screen.song}/takes/${take.id}/heard?pass=${this.pass}&alone=${this.alone}`);
    if (turn !== this.turn) return false;
    if (answer.error) {
      this.end(); // it was thrown away, say
      showNote(answer.error, { wrong: true });
      return false;
    }
    await player.ready();
    await player.setBeside(answer);
    return true;
  }
}
