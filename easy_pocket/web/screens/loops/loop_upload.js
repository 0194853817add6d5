// Audio brought in by a file, a drop or the clipboard, and the work of listening to it.

import { byId } from "../../shared/dom.js";
import { newEditId, withSelection } from "../../shared/api.js";
import { Refused, resultOf, stop as stopJob } from "../../shared/jobs.js";

/**
 * @param {import("./loops.js").default} loops
 * @param {PageEvent} event
 */
export function dropping(loops, event) {
  if (!loops.section || ![...(event.dataTransfer?.types || [])].includes("Files")) return;
  event.preventDefault();
  loops.section.classList.toggle("dropping", event.type === "dragover");
  if (event.type === "drop" && event.dataTransfer.files.length) upload(loops, event.dataTransfer.files[0]);
}

/**
 * A long file is listened to beside the page: how far it is, and a way to stop it.
 * @param {import("./loops.js").default} loops
 * @param {string} key
 * @param {string | undefined} name
 * @param {any} say
 */
export async function followJob(loops, key, name, say) {
  const state = byId("upload-state");
  const stop = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: "stop" });
  const far = document.createElement("span"); // the button stays where it is while the words change
  state.replaceChildren(far, " ", stop);
  stop.addEventListener("click", () => stopJob(key));
  try {
    const made = await resultOf(key, ({ share, words }) => {
      far.textContent = `${name}: ${Math.round(share * 100)} %, ${words}`;
    });
    loops.edits.follow(made.song);
    if (loops.section) await loops.page.redraw(made.address);
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    say(error.message, true);
  }
}

/**
 * A copied audio file.
 * @param {import("./loops.js").default} loops
 * @param {any} event
 */
export function pasted(loops, event) {
  const file = [...(event.clipboardData?.files ?? [])][0];
  if (!loops.section || !file) return;
  event.preventDefault();
  upload(loops, file);
}

/**
 * @param {import("./loops.js").default} loops
 * @param {Blob & { name?: string }} file
 */
export function upload(loops, file) {
  const state = byId("upload-state");
  const say = (/** @type {string} */ words, wrong = false) => {
    state.textContent = words;
    state.classList.toggle("wrong", wrong);
  };
  const song = loops.section.dataset.song;
  const request = new XMLHttpRequest(); // fetch cannot tell how far an upload is
  request.open("POST", withSelection(`/songs/${song}/loops/upload?name=${encodeURIComponent((file.name ?? "").slice(-80))}&edit_id=${newEditId()}`));
  request.setRequestHeader("Content-Type", "application/octet-stream");
  request.setRequestHeader("Accept", "application/json");
  request.upload.addEventListener("progress", (event) => {
    const share = event.total ? Math.round((event.loaded / event.total) * 100) : 0;
    say(share < 100 ? `${file.name}: ${share} %` : `listening to ${file.name}…`);
  });
  request.addEventListener("load", async () => {
    /** @type {any} */
    let result;
    try {
      result = JSON.parse(request.responseText);
    } catch {
      result = { error: `${file.name} could not be brought in; try again.` };
    }
    if (request.status >= 400) say(result.error, true);
    else if (result.job) followJob(loops, result.job, file.name, say);
    else {
      loops.edits.follow(result.song);
      await loops.page.redraw(result.address);
    }
  });
  request.addEventListener("error", () => say(`${file.name} could not be sent: Easy Pocket did not answer. Try again.`, true));
  say(`${file.name}: 0 %`);
  request.send(file);
}
