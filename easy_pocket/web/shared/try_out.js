// Hearing a groove or a setting in the beat before it is kept: the stack plays with it, nothing is written.

import { byId } from "./dom.js";
import { ask as askServer } from "./api.js";

const POCKET_MS = 150; // the chart follows the drag a little less often than the rails

export class TryOut {
  /** @param {import("./page.js").Page} page */
  constructor(page) {
    this.page = page;
    /** @type {any} */
    this.now = null; // what is tried, or null
    this.turn = 0;
    /** @type {any} */
    this.waiting = null; // the newest value of a slider that was not asked for yet
    this.asking = false;
    this.pocketAt = 0;
  }

  /**
   * @param {any} id
   * @param {string} [scope]
   */
  async hear(id, scope = this.now?.scope ?? "stack") {
    this.now = { id, scope };
    const turn = (this.turn += 1);
    const answer = await askServer(`/songs/${this.page.song.id}/grooves/${id}/playing?scope=${scope}`).catch(() => null);
    if (!answer?.ok || turn !== this.turn || !this.now) return;
    this.page.player.setStack(await answer.json());
  }

  /**
   * A slider of the feel is being dragged: each value is drawn and heard as fast as answers come; what was passed over
   * meanwhile is not asked for. The next is asked for before this one is drawn, so that both machines work.
   * @param {string} scope
   * @param {string} field
   * @param {any} value
   * @param {any} show
   */
  steer(scope, field, value, show) {
    this.show = show;
    this.now = { scope, field };
    this.page.player.steered = true;
    this.waiting = { scope, field, value };
    if (!this.asking) this.ask(this.turn);
  }

  /** @param {number} turn */
  async ask(turn) {
    const pocket = performance.now() - this.pocketAt > POCKET_MS;
    if (pocket) this.pocketAt = performance.now();
    const sent = { ...this.waiting, revision: this.page.edits.revision, pocket };
    this.waiting = null;
    this.asking = true;
    const answer = await askServer(`/songs/${this.page.song.id}/feel/try`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify(sent),
    }).catch(() => null);
    const tried = answer?.ok ? await answer.json() : null;
    this.asking = false;
    if (this.waiting) this.ask(this.turn);
    // A failed try is left to the edit at the end, which says what is wrong and keeps what was wanted.
    if (!tried || turn !== this.turn || tried.revision !== this.page.edits.revision) return;
    this.show(tried, sent.field);
  }

  // What was tried is what is kept now: the answer to the edit takes over.
  keep() {
    this.now = this.waiting = null;
    this.page.player.steered = false;
    this.turn += 1;
  }

  // Back to the song as it is.
  end() {
    if (!this.now) return;
    this.keep();
    this.page.player.setStack(this.page.playing);
  }
}

// A listbox of grooves: arrows step and try, Enter takes. `take(id)` and `leave()` say what follows.
export class GrooveList {
  /**
   * @param {any} tryOut
   * @param {any} options
   */
  constructor(tryOut, { scope, stepped = () => {}, take, leave = () => {} }) {
    this.tryOut = tryOut;
    this.scope = scope;
    this.stepped = stepped;
    this.take = take;
    this.leave = leave;
  }

  /** @param {Piece} box */
  rows(box) {
    return [...box.querySelectorAll("[data-groove-id]:not(.unfound)")];
  }

  /**
   * Rows for a key table.
   * @param {() => any} at gives the list while the keys are its, else something false
   */
  keys(at) {
    const when = () => Boolean(at());
    const place = (/** @type {any} */ rows) => rows.findIndex((/** @type {any} */ row) => row.classList.contains("on"));
    const step = (/** @type {number} */ by) => {
      const rows = this.rows(at());
      if (rows.length) this.show(at(), rows[Math.max(0, Math.min(rows.length - 1, place(rows) + by))]);
      return rows.length > 0;
    };
    const chosen = (/** @type {any} */ run) => {
      const rows = this.rows(at());
      return place(rows) >= 0 && (run(idOf(rows[place(rows)])) ?? true);
    };
    return [
      { keys: "ArrowDown", when, run: () => step(1) },
      { keys: "ArrowUp", when, run: () => step(-1) },
      { keys: "Home", when, run: () => step(-Infinity) },
      { keys: "End", when, run: () => step(Infinity) },
      { keys: "ArrowRight", when, run: () => chosen((/** @type {any} */ id) => void this.tryOut.hear(id, this.scope())) },
      { keys: "Enter", when, run: () => chosen((/** @type {any} */ id) => void this.take(id)) },
      { keys: "Escape", when, run: () => void this.leave() },
    ];
  }

  /**
   * @param {Piece} box
   * @param {any} row
   * @param {any} [heard]
   */
  show(box, row, heard = true) {
    for (const one of this.rows(box)) {
      one.classList.toggle("on", one === row);
      one.setAttribute("aria-selected", one === row);
    }
    row.scrollIntoView({ block: "nearest" });
    byId("spoken").textContent = row.textContent.trim().replace(/\s+/g, " ");
    if (heard) this.tryOut.hear(idOf(row), this.scope());
    this.stepped(idOf(row));
  }
}

/** @param {any} row */
export function idOf(row) {
  return Number(row.dataset.grooveId);
}
