// Backups on the Shelf: one is brought back in the place of all that is here, after it was asked for twice.

import { byId, text } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { Refused, resultOf, stop, toldBy } from "../../shared/jobs.js";

const LOOK_MS = 500;
const MOST_LOOKS = 600;

/**
 * @param {string} words
 * @param {HTMLElement[]} [buttons]
 * @param {boolean} [wrong]
 */
function say(words, buttons = [], wrong = false) {
  const line = byId("backup-ask");
  line.hidden = !words;
  line.classList.toggle("wrong", wrong);
  line.replaceChildren(text("span", words), ...buttons);
}

/**
 * A backup that the server keeps: how far it is, and a way to stop it.
 * @param {Piece} button
 */
export async function keepHere(button) {
  if (button.ariaBusy) return;
  button.ariaBusy = "true";
  const leave = text("button", "stop", "plain");
  leave.setAttribute("type", "button");
  say("A backup is made… ", [leave]);
  const words = /** @type {Node} */ (byId("backup-ask").firstChild);
  try {
    const { job } = await toldBy(await ask("/backups/now", { method: "POST", headers: { Accept: "application/json" } }));
    leave.addEventListener("click", () => stop(job));
    await resultOf(job, ({ share }) => (words.textContent = `A backup is made, ${Math.round(share * 100)} % `));
    await htmx.ajax("get", "/backups/kept", { target: "#dumps", swap: "refresh" });
    say("The backup is kept below.");
  } catch (error) {
    say(error instanceof Refused ? error.message : "Easy Pocket did not answer: try again.", [], true);
  } finally {
    button.ariaBusy = null;
  }
}

/**
 * @param {string} name as it is shown
 * @param {string} address
 * @param {BodyInit} body
 * @param {string} kind
 */
export function bringBack(name, address, body, kind) {
  const go = text("button", "bring it back", "button is-primary is-small");
  const leave = text("button", "leave it", "plain");
  go.title = "The program starts anew for it";
  leave.title = "Nothing is changed";
  for (const button of [go, leave]) button.setAttribute("type", "button");
  go.addEventListener("click", () => send(name, address, body, kind), { once: true });
  leave.addEventListener("click", () => say(""));
  say(`All songs here make way for those of ${name}; they are set aside in the data folder. `, [go, leave]);
  go.focus({ preventScroll: true });
  byId("backup-ask").scrollIntoView({ block: "nearest" });
}

/**
 * @param {string} name
 * @param {string} address
 * @param {BodyInit} body
 * @param {string} kind
 */
async function send(name, address, body, kind) {
  say(`${name} is brought back…`);
  const answer = await ask(address, { method: "POST", body, headers: { "Content-Type": kind } }).catch(() => null);
  const told = await answer?.json().catch(() => null);
  if (!answer?.ok) return say(told?.error ?? "Easy Pocket did not answer: nothing was changed. Try again.", [], true);
  await stopped();
  await back();
}

// It ends a moment after it has answered: what answers until then is the old one.
async function stopped() {
  for (let looks = 0; looks < MOST_LOOKS; looks += 1) {
    const answer = await fetch("/health").catch(() => null);
    if (!answer?.ok) return;
    await new Promise((go) => setTimeout(go, LOOK_MS / 5));
  }
}

async function back() {
  for (let looks = 0; looks < MOST_LOOKS; looks += 1) {
    const answer = await fetch("/ready").catch(() => null);
    if (answer?.ok) return location.assign("/");
    await new Promise((go) => setTimeout(go, LOOK_MS));
  }
  say("Easy Pocket did not start again: look at its window, or start it with ./pocket start.", [], true);
}
