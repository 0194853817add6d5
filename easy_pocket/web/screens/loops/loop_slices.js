// A loop cut into slices: a kit of its own, in this song or a new one.

import { byId } from "../../shared/dom.js";
import { showNote } from "../../shared/notes.js";

/**
 * The slices become a kit and the pattern that replays them, in a song of their own; this one stays as it is.
 * @param {any} uses
 * @param {Piece} near
 */
export async function sliceUp(uses, near) {
  const made = await uses.ask("slices-song", { by: byId("slice-by").value });
  if (made.error) showNote(made.error, { near, wrong: true });
  else location.assign(made.address);
}

/**
 * The slices as a part of this song, on a kit of their own.
 * @param {any} uses
 * @param {Piece} near
 */
export async function slicesAsPart(uses, near) {
  const edit = { kind: "part_slices", loop_id: Number(uses.loops.section.dataset.loop), by: byId("slice-by").value };
  if (!(await uses.page.edits.push(edit, { near }))) return;
  showNote("The slices are a part of this song now: see it on the Bench. Undo takes it away.", { near: byId("undo") });
}
