// Edits go to the server one after another. While it does not answer they wait, kept in the session so that even a
// reload loses none; what another tab changed meanwhile is shown, never overwritten.

import { lookText } from "./looking.js";

const RETRY_MS = [400, 800, 1500, 3000, 5000];

export class Edits extends EventTarget {
  constructor(songId, revision, view) {
    super();
    this.songId = songId;
    this.revision = revision;
    this.view = view; // () => what the page shows
    this.key = `easy-pocket-edits-${songId}`;
    this.queue = this.kept();
    this.seen = Number(sessionStorage.getItem(`${this.key}-seen`) || 0); // the newest revision this tab was told of
    this.sending = false;
    this.attempt = 0;
    window.addEventListener("online", () => this.send());
    if (this.queue.length) this.send();
  }

  kept() {
    try {
      return JSON.parse(sessionStorage.getItem(this.key) || "[]");
    } catch {
      return [];
    }
  }

  keep() {
    if (this.queue.length) sessionStorage.setItem(this.key, JSON.stringify(this.queue));
    else sessionStorage.removeItem(this.key);
    this.dispatchEvent(new CustomEvent("waiting", { detail: { count: this.queue.length, failing: this.attempt > 0 } }));
  }

  // `near` is the element an error is shown beside. Edits of one gesture replace each other while they wait.
  push(edit, { gesture = null, near = null } = {}) {
    const last = this.queue[this.queue.length - 1];
    const replaces = gesture && last && last.gesture === gesture && !(this.sending && this.queue.length === 1);
    if (replaces) this.queue.pop();
    this.queue.push({ path: "edits", edit, gesture, at: lookText() });
    this.near = near;
    this.keep();
    this.send();
  }

  step(path, steps = 1) {
    this.queue.push({ path, steps, at: lookText() });
    this.keep();
    this.send();
  }

  async send() {
    if (this.sending || !this.queue.length) return;
    this.sending = true;
    clearTimeout(this.timer);
    const item = this.queue[0];
    const body = { revision: this.revision, view: this.view() };
    if (item.steps > 1) body.steps = item.steps;
    if (item.edit) Object.assign(body, { edit: item.edit, gesture: item.gesture });
    let answer = null;
    try {
      answer = await fetch(`/songs/${this.songId}/${item.path}`, {
        method: "POST",
        headers: { "Content-Type": "application/json", Accept: "application/json", "Looking-At": item.at ?? lookText() },
        body: JSON.stringify(body),
      });
    } catch {
      answer = null;
    }
    if (!answer || answer.status >= 500) {
      await this.wait(answer);
      return;
    }
    const result = await answer.json().catch(() => ({ error: "The answer could not be read; reload the page." }));
    this.attempt = 0;
    this.queue.shift();
    this.sending = false;
    if (answer.ok) this.accept(result, item);
    else if (answer.status === 409) this.refuse(result, item);
    else this.dispatchEvent(new CustomEvent("wrong", { detail: { words: result.error, item, near: this.near } }));
    this.keep();
    this.send();
  }

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

  accept(result, item) {
    this.revision = result.song.revision;
    sessionStorage.setItem(`${this.key}-seen`, this.revision);
    this.dispatchEvent(new CustomEvent("state", { detail: { state: result, item, more: this.queue.length > 0 } }));
  }

  refuse(result, item) {
    this.accept(result.now, item);
    const again = item.edit ? () => this.push(item.edit) : () => this.step(item.path);
    this.dispatchEvent(new CustomEvent("stale", { detail: { words: result.error, again } }));
  }

  // Another request of the page changed the song (a loop was corrected, say).
  follow(song) {
    this.revision = song.revision;
    this.dispatchEvent(new CustomEvent("song", { detail: song }));
  }
}
