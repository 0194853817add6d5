// A file becomes a song: sent, listened to or read, and opened. Notes that are no voice of ours are asked for first.

import { byId, text } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { Refused, resultOf, stop } from "../../shared/jobs.js";

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
 * @param {Record<string, string>} [answers] what was asked of it: what its unknown notes play, channels, tracks
 */
export async function bringIn(file, kind, answers = {}) {
  byId("bring-notes").hidden = true;
  say(`${DOING[kind]} ${file.name}…`);
  const address = `/songs/from-${kind}/upload?${new URLSearchParams({ name: file.name.slice(-80), ...answers })}`;
  const answer = await ask(address, { method: "POST", body: file, headers: { "Content-Type": "application/octet-stream" } }).catch(() => null);
  const told = await answer?.json().catch(() => null);
  if (!answer?.ok) say(told?.error ?? `${file.name} could not be sent: Easy Pocket did not answer. Try again.`, true);
  else if (told.asked_tracks) askTracks(file, answers);
  else if (told.asked) askNotes(file, told, answers);
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
  const far = text("span", name);
  const button = text("button", "stop", "plain");
  button.type = "button";
  button.addEventListener("click", () => stop(key));
  say("");
  const line = byId("bring-state");
  line.replaceChildren(far, " ", button);
  line.hidden = false;
  try {
    const made = await resultOf(key, ({ share, words }) => (far.textContent = `${name}: ${Math.round(share * 100)} %, ${words}`));
    open(made.address);
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    say(error.message, true);
  }
}

/**
 * What is asked about a file, each as words and a choice; sent again with the answers.
 * @param {File} file
 * @param {string} words
 * @param {HTMLElement[]} choices
 * @param {() => Record<string, string>} answers
 */
function askAbout(file, words, choices, answers) {
  say("");
  const form = byId("bring-notes");
  const take = text("button", "Bring it in", "button is-primary is-small");
  take.type = "submit";
  const leave = text("button", "leave it", "plain");
  leave.type = "button";
  leave.addEventListener("click", () => (form.hidden = true));
  form.replaceChildren(text("p", words), ...choices, take, leave);
  form.onsubmit = (event) => {
    event.preventDefault();
    bringIn(file, "midi", answers());
  };
  form.hidden = false;
  form.querySelector("select")?.focus();
}

/**
 * @param {string} label
 * @param {[string, string][]} options value and words
 * @param {string} chosen
 * @param {string} name told to those who do not see
 */
function choice(label, options, chosen, name) {
  const select = /** @type {HTMLSelectElement} */ (document.createElement("select"));
  select.append(...options.map(([value, words]) => new Option(words, value, value === chosen, value === chosen)));
  select.setAttribute("aria-label", name);
  const shell = document.createElement("span");
  shell.className = "select is-small";
  shell.append(select);
  const line = text("label", `${label} `, "shape-line");
  line.style.width = "auto";
  line.append(shell);
  return { line, select };
}

/**
 * @param {File} file
 * @param {Record<string, string>} answers
 */
function askTracks(file, answers) {
  const { line, select } = choice("its tracks", [["in turn", "one after another"], ["together", "at once, as parts"]], "in turn", "The tracks play");
  askAbout(file, `${file.name} is of type 2: its tracks are patterns of their own. How shall they play?`, [line], () => ({ ...answers, tracks: select.value }));
}

/**
 * @param {File} file
 * @param {{ asked: { note: number, count: number, nearest: string }[], others: number, voices: [string, string][] }} told
 * @param {Record<string, string>} answers
 */
function askNotes(file, { asked, others, voices }, answers) {
  const channels = others ? choice(`${others} note${others === 1 ? "" : "s"} on other channels`, [["drums", "left out"], ["all", "are read, too"]], "drums", "Notes on other channels") : null;
  const notes = asked.map(({ note, count, nearest }) => ({ note, ...choice(`note ${note}, ${count} hit${count === 1 ? "" : "s"}`, [...voices, ["", "leave it out"]], nearest, `Note ${note} plays`) }));
  for (const { note, select } of notes) select.dataset.note = String(note);
  const words = asked.length ? `${file.name} has notes that are no voice of ours. What shall they play?` : `${file.name} has notes outside the drums' channel (10).`;
  askAbout(file, words, [...(channels ? [channels.line] : []), ...notes.map((one) => one.line)], () => ({
    ...answers,
    ...(channels || answers.channels ? { channels: channels?.select.value ?? answers.channels } : {}),
    notes: notes.map(({ note, select }) => `${note}:${select.value}`).join(","),
  }));
}
