// Where a page's scripts begin: its screens are told by the page, and a song's page is put together.

import { byId } from "./dom.js";
import { FindInList } from "./find_in_list.js";
import { HelpPanel } from "./help_panel.js";
import { KeyList } from "./key_list.js";
import { isTyping } from "./keys.js";
import { mountOwn } from "./own_script.js";
import { Roving } from "./roving.js";
import { Tip } from "./tip.js";
import { showNote } from "./notes.js";
import { OnePress } from "./one_press.js";
import { Page } from "./page.js";

new OnePress();
new Tip(); // before what moves the focus by arrows, so that it knows of the key
new Roving();
new FindInList();

const SILENT = "Easy Pocket does not answer just now; nothing was changed. Try again in a moment.";

// Errors of forms that htmx sends are shown inside the form they belong to.
document.body.addEventListener("htmx:responseError", (event) => {
  const place = event.detail.elt.querySelector?.(".form-error");
  let words = SILENT;
  try {
    words = JSON.parse(event.detail.xhr.responseText).error;
  } catch {
    const page = new DOMParser().parseFromString(event.detail.xhr.responseText, "text/html");
    words = page.querySelector("section.empty p")?.textContent || words;
  }
  if (place) place.textContent = words;
  else showNote(words, { near: event.detail.elt, wrong: true });
});
document.body.addEventListener("htmx:sendError", (event) => showNote(SILENT, { near: event.detail.elt, wrong: true }));

const state = byId("song-state");
if (state) {
  const told = JSON.parse(byId("screens").textContent ?? "[]");
  const screens = await Promise.all(told.map(async (/** @type {any} */ screen) => ({ ...screen, Script: (await import(screen.script)).default })));
  window.easyPocket = new Page(JSON.parse(state.textContent), screens);
} else {
  // The Shelf has no song: the list of shortcuts shows those that hold in every song.
  const { keys } = Object.assign(Object.create(Page.prototype), { screens: {}, titles: [] });
  const help = new HelpPanel();
  const list = new KeyList(() => [["In every song", keys]]);
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape") list.close() || help.close();
    else if (event.key === "F1") {
      event.preventDefault();
      help.toggle();
    }
    else if (event.key === "?" && !isTyping(event.target)) list.toggle();
  });
  mountOwn(null);
}
