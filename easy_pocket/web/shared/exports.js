// The Export menu. A mix is made first, by a worker whose progress is told and who can be stopped; what goes wrong is told
// before anything is written.

import { byId } from "./dom.js";
import { ask } from "./api.js";
import { selectionText } from "./selection.js";
import { Refused, resultInNote, toldBy } from "./jobs.js";
import { hideNote, showNote } from "./notes.js";

document.addEventListener("click", (event) => event.target.closest?.("[aria-controls='export-menu']") && offerSpans());
document.addEventListener("change", (event) => event.target.id === "export-span" && chooseSpan(event.target));

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
  if (!link.ariaBusy && withSpan(address)) mix(link, address);
}

/** The sections of the song as they are now, each with its bars; "all of it" first. */
function offerSpans() {
  const menu = byId("export-span");
  const sections = [...document.querySelectorAll("#ribbon [data-section]")].map((section) => {
    const first = Number(section.dataset.firstBar);
    return Object.assign(document.createElement("option"), { value: `${first} ${first + Number(section.dataset.bars) - 1}`, textContent: section.querySelector("b")?.textContent ?? "section" });
  });
  menu.replaceChildren(menu.options[0], ...sections);
  // What was chosen before still stands in the bars beside it.
  const bars = `${byId("export-from").value} ${byId("export-to").value}`;
  menu.value = sections.some(({ value }) => value === bars) ? bars : "";
}

/** @param {Piece} menu */
function chooseSpan(menu) {
  const [first = "", last = ""] = menu.value.split(" ");
  byId("export-from").value = first;
  byId("export-to").value = last;
}

/**
 * The bars that are asked for, of audio of the song; whether they can be.
 * @param {URL} address
 */
function withSpan(address) {
  const [first, last] = ["export-from", "export-to"].map((id) => Number(byId(id).value));
  if (!/\/song\.(wav|flac|zip)$/.test(address.pathname) || (!first && !last)) return true;
  if (!first || last < first) {
    showNote(`Bars ${byId("export-from").value || "?"} to ${byId("export-to").value || "?"} are none: give the first one, and the same or a later last one.`, { near: byId("export-from"), wrong: true });
    return false;
  }
  address.searchParams.set("from_bar", `${first}`);
  address.searchParams.set("bars", `${last - first + 1}`);
  return true;
}

/**
 * @param {Piece} link
 * @param {any} address
 */
async function mix(link, address) {
  const near = document.querySelector("[aria-controls='export-menu']");
  link.ariaBusy = "true";
  showNote("Mixing…", { near, stays: true });
  address.searchParams.set("job", "1");
  try {
    const begun = await toldBy(await ask(address, { headers: { Accept: "application/json" } }));
    await resultInNote(begun.job, { near, doing: "Mixing" });
    const answer = await ask(`/jobs/${begun.job}/file`, { headers: { Accept: "application/json" } });
    if (!answer.ok) await toldBy(answer);
    save(await answer.blob(), nameIn(answer));
    hideNote();
  } catch (error) {
    const words = error instanceof Refused ? error.message : "The server does not answer: nothing was written. Try again in a moment.";
    showNote(words, { near, wrong: true });
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
