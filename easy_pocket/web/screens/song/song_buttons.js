// Buttons of the Song screen that are edits.

import { ask, newEditId } from "../../shared/api.js";
import { showNote } from "../../shared/notes.js";
import { byId } from "../../shared/dom.js";

/**
 * @param {import("./song.js").default} screen
 * @param {Piece} button
 */
export function partSwitch(screen, button) {
  const id = Number(button.closest("[data-part-box]").dataset.partBox);
  screen.push({ kind: "part_set", part_id: id, field: button.dataset.partSwitch, value: button.getAttribute("aria-pressed") !== "true" }, button);
}

/**
 * @param {import("./song.js").default} screen
 * @param {Piece} button
 */
export function addStages(screen, button) {
  const [stages, bars] = ["stage-count", "stage-bars"].map((id) => Math.round(Number(byId(id).value)));
  if (stages >= 1 && bars >= 1) screen.push({ kind: "section_stages", section_id: screen.chosen.section, stages, bars, way: button.dataset.planStages }, button);
  else showNote("Type how many stages there are to be, and how many bars each has.", { near: button, wrong: true });
}

/**
 * @param {import("./song.js").default} screen
 * @param {Piece} button
 */
export function addPart(screen, button) {
  const kit_key = byId("add-kit").value;
  if (button.dataset.planAdd === "empty") screen.push({ kind: "part_add", kit_key }, button);
  else screen.push({ kind: "part_copy", part_id: screen.chosen?.part ?? screen.data.seen.part, kit_key }, button);
}

/**
 * @param {import("./song.js").default} screen
 * @param {Piece} field
 */
export async function upload(screen, field) {
  const [file] = field.files;
  const query = new URLSearchParams(/** @type {any} */ ({ name: file.name.slice(-80), by: field.dataset.planMidi, kit_key: byId("add-kit").value, revision: screen.page.edits.revision, edit_id: newEditId() }));
  const answer = await ask(`/songs/${screen.page.song.id}/song/upload?${query}`, { method: "POST", headers: { "Content-Type": "application/octet-stream", Accept: "application/json" }, body: file }).catch(() => null);
  const told = await answer?.json().catch(() => null);
  field.value = "";
  if (!answer?.ok) {
    showNote(told?.error ?? "Easy Pocket does not answer just now; nothing was added.", { near: field.closest("label"), wrong: true });
    return;
  }
  showNote(told.words, { near: byId("undo") });
  await screen.page.refresh();
}
