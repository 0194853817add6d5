// Long work: how far it is, until it gives something. What it refuses, or that it was stopped, is thrown in words.

import { ask } from "./api.js";
import { hideNote, retellNote, showNote } from "./notes.js";

const LOOK_MS = 200;
const MOST_UNHEARD = 25; // while it does not answer it is asked again, for some seconds

export class Refused extends Error {}

/**
 * What an answer tells; what it refuses is thrown, in its words.
 * @param {Response} answer
 */
export async function toldBy(answer) {
  const result = await answer.json().catch(() => ({ error: "The server did not answer as it should: try again." }));
  if (!answer.ok || result.error) throw new Refused(result.error);
  return result;
}

/**
 * Until it has ended; gives its result. shows: is told how far it is.
 * @param {string} key
 * @param {(job: { share: number, words: string }) => unknown} shows
 */
export async function resultOf(key, shows) {
  for (let unheard = 0; ; ) {
    const answer = await ask(`/jobs/${key}`).catch(() => null);
    if (answer && answer.status < 500) {
      const job = await toldBy(answer);
      if (job.result) return job.result;
      shows(job);
      unheard = 0;
    } else if ((unheard += 1) > MOST_UNHEARD) throw new Refused("It cannot be followed any more: Easy Pocket does not answer. Reload the page in a moment.");
    await new Promise((go) => setTimeout(go, LOOK_MS));
  }
}

/** @param {string} key */
export function stop(key) {
  return ask(`/jobs/${key}/stop`, { method: "POST" });
}

/**
 * The same with a note beside what was pressed, and a way to stop it. doing: "Mixing", say.
 * @param {string} key
 * @param {{ near: Element | null, doing: string }} how
 */
export async function resultInNote(key, { near, doing }) {
  showNote(`${doing}…`, { near, stays: true, actions: [["stop", () => stop(key)]] });
  const found = await resultOf(key, ({ share, words }) => retellNote(`${doing}, ${Math.round(share * 100)} %: ${words}`));
  hideNote();
  return found;
}
