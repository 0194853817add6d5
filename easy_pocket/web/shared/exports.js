// The Export menu. A mix is made first; what goes wrong is told before anything is written.

import { ask } from "./api.js";
import { selectionText } from "./selection.js";
import { hideNote, showNote } from "./notes.js";

/**
 * @param {any} link
 * @param {PageEvent} event
 */
export function takeAway(link, event) {
  const address = new URL(link.href);
  if (link.dataset.mixed === undefined) {
    address.searchParams.set("at", selectionText());
    link.href = address;
    return;
  }
  event.preventDefault();
  link.closest("[x-data]").dispatchEvent(new KeyboardEvent("keydown", { key: "Escape" })); // the menu has done its work
  if (!link.ariaBusy) mix(link, address);
}

/**
 * @param {Piece} link
 * @param {any} address
 */
async function mix(link, address) {
  const near = document.querySelector("[aria-controls='export-menu']");
  link.ariaBusy = "true";
  showNote("Mixing…", { near, stays: true });
  try {
    const answer = await ask(address, { headers: { Accept: "application/json" } });
    if (answer.ok) {
      save(await answer.blob(), nameIn(answer));
      hideNote();
      return;
    }
    const { error } = await answer.json().catch(() => ({ error: "The server did not answer as it should: try again." }));
    showNote(error, { near, wrong: true });
  } catch {
    showNote("The server does not answer: nothing was written. Try again in a moment.", { near, wrong: true });
  } finally {
    link.ariaBusy = null;
  }
}

/** @param {any} answer */
function nameIn(answer) {
  const said = answer.headers.get("Content-Disposition") ?? "";
  const plain = said.match(/filename="([^"]+)"/)?.[1];
  const coded = said.match(/filename\*=utf-8''([^;]+)/i)?.[1];
  return coded ? decodeURIComponent(coded) : (plain ?? "mix.wav");
}

/**
 * @param {any} blob
 * @param {string} name
 */
function save(blob, name) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60000);
}
