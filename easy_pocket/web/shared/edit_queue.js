// Edits go to the server one after another, each with an id: sent again, it is made once. While the server does not
// answer they wait, kept in the session so that even a reload loses none. One that cannot be made is parked with its
// reason, and the others go on; what another tab changed meanwhile is shown, never overwritten.

import { newEditId } from "./api.js";
import { Refused, resultInNote, toldBy } from "./jobs.js";
import { showNote } from "./notes.js";
import { selection } from "./selection.js";

const RETRY_MS = [400, 800, 1500, 3000, 5000];
const UNREACHED = [502, 503, 504];
const PATHS = ["edits", "undo", "redo"];
const MOST_PARKED = 30;
const MOST_HELD_MS = 120;

export class Edits extends EventTarget {
  /** @type {any} */
  revision;
  /**
   * @param {number} songId
   * @param {number} revision
   * @param {any} view
   */
  constructor(songId, revision, view) {
    super();
    this.songId = songId;
    this.revision = revision;
    this.view = view; // () => what the page shows
    this.key = `easy-pocket-edits-${songId}`;
    this.queue = kept(this.key);
    this.parked = kept(`${this.key}-parked`);
    this.seen = Number(sessionStorage.getItem(`${this.key}-seen`) || 0); // the newest revision this tab was told of
    this.sending = false;
    this.preparing = 0; // how many are computed before they are sent
    this.attempt = 0;
    /** @type {Promise<unknown> | null} */
    this.held = null;
    window.addEventListener("online", () => this.send());
    if (this.queue.length) this.send();
  }

  keep() {
    remember(this.key, this.queue);
    remember(`${this.key}-parked`, this.parked);
    this.dispatchEvent(new CustomEvent("waiting", { detail: { count: this.queue.length, failing: this.attempt > 0 } }));
  }

  /**
   * `near` is the element an error is shown beside. Edits of one gesture replace each other while they wait. Gives what
   * the server answered when the edit was made, null when it was not.
   * @param {import("./shapes").Edit} edit
   * @param {{ gesture?: string | null, near?: Element | null }} [options]
   */
  push(edit, { gesture = null, near = null } = {}) {
    const last = this.queue[this.queue.length - 1];
    const replaces = gesture && last && last.gesture === gesture && !(this.sending && this.queue.length === 1);
    if (replaces) this.queue.pop().settle?.(null);
    return this.add({ path: "edits", edit, gesture }, near);
  }

  /**
   * The next edit is sent when this is answered, or a moment later: what is heard goes before what is kept.
   * @param {Promise<unknown>} asked
   */
  behind(asked) {
    this.held = Promise.race([asked, new Promise((go) => setTimeout(go, MOST_HELD_MS))]);
  }

  /**
   * @param {string} path
   * @param {number} [steps]
   */
  step(path, steps = 1) {
    return this.add({ path, steps }, document.getElementById(path));
  }

  /**
   * An edit that takes long: what it computes is computed by a job first, which is followed beside `near` and can be
   * stopped; then it is sent, for what was looked at when it was asked for.
   * @param {import("./shapes").Edit} edit
   * @param {{ near: Element | null, doing: string }} how
   */
  async pushLong(edit, { near, doing }) {
    const at = { ...selection };
    this.preparing += 1;
    try {
      await this.sent();
      const body = JSON.stringify({ edit, looking_at: at });
      const answer = await fetch(`/songs/${this.songId}/prepare`, { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body });
      if (!UNREACHED.includes(answer.status)) await resultInNote((await toldBy(answer)).job, { near, doing });
    } catch (error) {
      if (error instanceof Refused) {
        showNote(error.message, { near, wrong: true });
        return null;
      } // else it does not answer: the edit waits like every other
    } finally {
      this.preparing -= 1;
    }
    return this.add({ path: "edits", edit, gesture: null, at }, near);
  }

  // What waited has been answered: the song at the server is as the page shows it.
  async sent() {
    while (this.queue.length && !this.attempt) await new Promise((go) => this.addEventListener("waiting", go, { once: true }));
  }

  /**
   * @param {any} wanted
   * @param {any} near
   */
  add(wanted, near) {
    const item = { at: { ...selection }, ...wanted, id: newEditId(), revision: this.revision, near };
    const settled = new Promise((settle) => (item.settle = settle));
    this.queue.push(item);
    this.keep();
    this.send();
    return settled;
  }

  async send() {
    if (this.sending || !this.queue.length) return;
    this.sending = true;
    clearTimeout(this.timer);
    const { held } = this;
    this.held = null;
    if (held) await held;
    const item = this.queue[0];
    const answer = await this.post(item).catch(() => null);
    if (!answer || UNREACHED.includes(answer.status)) {
      await this.wait(answer);
      return;
    }
    const result = await answer.json().catch(() => null);
    this.attempt = 0;
    this.queue.shift();
    this.sending = false;
    if (answer.ok && result) this.accept(result, item);
    else if (answer.status === 409 && result?.now) this.refuse(result, item);
    else this.park(item, result?.error ?? `Easy Pocket answered with ${answer.status} and no reason.`);
    this.keep();
    this.send();
  }

  /** @param {any} item */
  post(item) {
    item.view = { ...this.view() };
    /** @type {Record<string, any>} */
    const body = { edit_id: item.id, revision: item.revision ?? this.revision, looking_at: item.at ?? { ...selection }, view: item.view };
    if (item.steps > 1) body.steps = item.steps;
    if (item.edit) Object.assign(body, { edit: item.edit, gesture: item.gesture });
    return fetch(`/songs/${this.songId}/${item.path}`, {
      method: "POST",
      headers: { "Content-Type": "application/json", Accept: "application/json" },
      body: JSON.stringify(body),
    });
  }

  /** @param {any} answer */
  async wait(answer) {
    const result = answer ? await answer.json().catch(() => ({})) : {};
    const pause = RETRY_MS[Math.min(this.attempt, RETRY_MS.length - 1)];
    this.attempt += 1;
    this.sending = false;
    this.keep();
    const words = result.error || "Easy Pocket does not answer just now. Your edits are kept in this page and sent again by themselves.";
    this.dispatchEvent(new CustomEvent("failing", { detail: { words, count: this.queue.length } }));
    this.timer = setTimeout(() => this.send(), pause);
  }

  /**
   * @param {any} result
   * @param {any} item
   */
  accept(result, item) {
    this.revision = result.song.revision;
    sessionStorage.setItem(`${this.key}-seen`, this.revision);
    this.dispatchEvent(new CustomEvent("state", { detail: { state: result, item, more: this.queue.length > 0 } }));
    item.settle?.(result);
  }

  /**
   * Another tab changed the same thing: what it is now is shown, and both sides are told.
   * @param {any} result
   * @param {any} item
   */
  refuse(result, item) {
    const settle = item.settle;
    this.accept(result.now, { path: "now" });
    this.park({ ...item, settle }, result.error);
  }

  /**
   * It was not made; the others go on.
   * @param {any} item
   * @param {string} words
   */
  park(item, words) {
    const parked = { ...item, words };
    this.parked = [...this.parked, parked].slice(-MOST_PARKED);
    this.dispatchEvent(new CustomEvent("parked", { detail: parked }));
    item.settle?.(null);
  }

  /**
   * Make a parked edit now, on the song as it is.
   * @param {any} parked
   */
  tryAgain(parked) {
    this.drop(parked);
    return this.add({ path: parked.path, edit: parked.edit, steps: parked.steps, gesture: parked.gesture }, parked.near);
  }

  /** @param {any} parked */
  drop(parked) {
    this.parked = this.parked.filter((other) => other.id !== parked.id);
    this.keep();
    this.dispatchEvent(new CustomEvent("dropped"));
  }

  /**
   * Another request of the page changed the song (a file was brought in, say).
   * @param {any} song
   */
  follow(song) {
    this.revision = song.revision;
    this.dispatchEvent(new CustomEvent("song", { detail: song }));
  }
}

/**
 * What cannot be an edit is left behind: a kept queue never jams.
 * @param {string} key
 */
function kept(key) {
  try {
    const found = JSON.parse(sessionStorage.getItem(key) || "[]");
    return Array.isArray(found) ? found.filter(isItem).map((item) => ({ ...item, id: item.id ?? newEditId() })) : [];
  } catch {
    return [];
  }
}

/** @param {any} item */
function isItem(item) {
  if (!item || !PATHS.includes(item.path)) return false;
  return item.path === "edits" ? typeof item.edit?.kind === "string" : true;
}

/**
 * @param {string} key
 * @param {any} items
 */
function remember(key, items) {
  const plain = items.map((/** @type {any} */ { id, path, edit, gesture, steps, revision, at, words }) => ({ id, path, edit, gesture, steps, revision, at, words }));
  if (plain.length) sessionStorage.setItem(key, JSON.stringify(plain));
  else sessionStorage.removeItem(key);
}
