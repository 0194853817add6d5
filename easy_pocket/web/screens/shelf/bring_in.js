// A file becomes a song: sent, listened to or read, and opened. Notes that are no voice of ours are asked for first.

import { byId, text } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";

const JOB_MS = 250;
const MIDI = /\.midi?$/i;
const SONG = /\.pocket$/i;
/** @type {Record<string, string>} */
const DOING = { midi: "reading", song: "opening", loop: "listening to" };

/** @param {File} file */
export const kindOf = (file) => (SONG.test(file.name) ? "song" : MIDI.test(file.name) || file.type === "audio/midi" ? "midi" : "loop");

/**
 * @param {string} words
 * @param {boolean} [wrong]
 */
function say(words, wrong = false) {
  const line = byId("bring-state");
  line.hidden = !words;
  line.textContent = words;
  line.classList.toggle("wrong", wrong);
}

/**
 * @param {File} file
 * @param {string} kind "midi", "song" or "loop"
 * @param {string} [notes] what its unknown notes play
 */
export async function bringIn(file, kind, notes = "") {
  byId("bring-notes").hidden = true;
  say(`${DOING[kind]} ${file.name}…`);
  const address = `/songs/from-${kind}/upload?name=${encodeURIComponent(file.name.slice(-80))}${notes ? `&notes=${encodeURIComponent(notes)}` : ""}`;
  const answer = await ask(address, { method: "POST", body: file, headers: { "Content-Type": "application/octet-stream" } }).catch(() => null);
  const told = await answer?.json().catch(() => null);
  if (!answer?.ok) say(told?.error ?? `${file.name} could not be sent: Easy Pocket did not answer. Try again.`, true);
  else if (told.asked) askNotes(file, told);
  else if (told.job) await follow(told.job, file.name);
  else open(told.address);
}

/** @param {string} address */
function open(address) {
  location.assign(address);
}

/**
 * @param {string} key
 * @param {string} name
 */
async function follow(key, name) {
  for (;;) {
    const answer = await ask(`/jobs/${key}`).catch(() => null);
    const job = await answer?.json().catch(() => null);
    if ((answer && !answer.ok) || job?.error) return say(job?.error ?? "It cannot be followed any more; reload the page.", true);
    if (job?.result) return open(job.result.address);
    if (job) say(`${name}: ${Math.round(job.share * 100)} %, ${job.words}`);
    await new Promise((go) => setTimeout(go, JOB_MS));
  }
}

/**
 * @param {File} file
 * @param {{ asked: { note: number, count: number, nearest: string }[], voices: [string, string][] }} told
 */
function askNotes(file, { asked, voices }) {
  say("");
  const form = byId("bring-notes");
  const selects = asked.map(({ note, count, nearest }) => {
    const select = /** @type {HTMLSelectElement} */ (document.createElement("select"));
    select.append(...voices.map(([key, name]) => new Option(name, key, key === nearest, key === nearest)), new Option("leave it out", ""));
    select.dataset.note = String(note);
    select.setAttribute("aria-label", `Note ${note} plays`);
    const shell = document.createElement("span");
    shell.className = "select is-small";
    shell.append(select);
    const label = text("label", `note ${note}, ${count} hit${count === 1 ? "" : "s"} `, "shape-line");
    label.style.width = "auto";
    label.append(shell);
    return label;
  });
  const take = text("button", "Bring it in", "button is-primary is-small");
  take.type = "submit";
  const leave = text("button", "leave it", "plain");
  leave.type = "button";
  leave.addEventListener("click", () => (form.hidden = true));
  form.replaceChildren(text("p", `${file.name} has notes that are no voice of ours. What shall they play?`), ...selects, take, leave);
  form.onsubmit = (event) => {
    event.preventDefault();
    const chosen = /** @type {Piece[]} */ ([...form.querySelectorAll("select")]).map((select) => `${select.dataset.note}:${select.value}`);
    bringIn(file, "midi", chosen.join(","));
  };
  form.hidden = false;
  form.querySelector("select")?.focus();
}
