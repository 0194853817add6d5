// The loop at another tempo or pitch, as a file: the link says what is chosen.

import { byId } from "../../shared/dom.js";
import { showNote } from "../../shared/notes.js";

const WORDS = { slices: "Slices are moved: every hit sounds as it did.", stretch: "Attacks stay as they are; what rings after them is stretched." };

/**
 * @param {string} address the loop's
 * @param {any} field what was typed or chosen
 */
export function retimeTo(address, field) {
  const tempo = read("retime-tempo", 20, 400, field, "is no tempo that can be played: type a number from 20 to 400 bpm.");
  const semitones = read("retime-semitones", -24, 24, field, "is no pitch: type semitones from -24 to 24.");
  const how = /** @type {"slices" | "stretch"} */ (byId("retime-how").value);
  byId("retime-words").textContent = WORDS[how];
  const link = byId("retime-link");
  if (tempo !== null && semitones !== null) link.setAttribute("href", `${address}/retimed.wav?${new URLSearchParams({ tempo_bpm: `${tempo}`, how, semitones: `${semitones}` })}`);
  else link.removeAttribute("href"); // nothing other than what is typed is downloaded
}

/**
 * What is typed in a field, null when it is out of range; said when it was typed just now.
 * @param {string} id
 * @param {number} low
 * @param {number} high
 * @param {any} typed
 * @param {string} words
 */
function read(id, low, high, typed, words) {
  const field = byId(id);
  const value = Number(field.value.trim().replace(",", ".") || NaN);
  const good = Number.isFinite(value) && value >= low && value <= high;
  field.classList.toggle("wrong", !good);
  if (!good && field === typed) showNote(`'${field.value}' ${words}`, { near: field, wrong: true });
  return good ? value : null;
}
