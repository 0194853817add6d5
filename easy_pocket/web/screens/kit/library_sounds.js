// Sounds of the library changed: brought in, named, kept near, taken out.

import { byId } from "../../shared/dom.js";
import { ask as askServer } from "../../shared/api.js";
import { showNote, speak } from "../../shared/notes.js";

/**
 * @param {import("./library.js").Library} library
 */
export function askLike(library) {
  const sound = library.sound();
  if (library.asked.order === "like") library.ask({ order: "" });
  else if (!sound) showNote("Choose a sound in the list first: others like it are shown then.", { near: document.querySelector('#library [data-find="like"]') });
  else {
    library.like = sound.id;
    library.ask({ order: "like" });
  }
}

/**
 * @param {import("./library.js").Library} library
 * @param {any} sound
 * @param {any} values
 */
export async function change(library, sound, values) {
  const answer = await askServer(`/library/${sound.id}`, {
    method: "POST",
    headers: { "Content-Type": "application/json", Accept: "application/json" },
    body: JSON.stringify(values),
  }).catch(() => null);
  const result = await answer?.json().catch(() => null);
  if (answer?.ok) return result;
  showNote(result?.error || "Easy Pocket does not answer just now; nothing was changed. Try again in a moment.", { near: byId(`sound-${sound.id}`), wrong: true });
  return null;
}

/**
 * @param {import("./library.js").Library} library
 * @param {any} sound
 */
export async function favour(library, sound) {
  const result = await change(library, sound, { favourite: !sound.favourite });
  if (!result) return;
  sound.favourite = result.favourite;
  speak(`${sound.name} ${sound.favourite ? "is a favourite" : "is no favourite any more"}`);
  if (library.asked.favourite) library.reload(true);
  else library.draw();
}

/**
 * @param {import("./library.js").Library} library
 * @param {any} sound
 */
export async function takeOut(library, sound) {
  if (!(await change(library, sound, { removed: true }))) return;
  await library.reload(true);
  showNote(`${sound.name} was taken out of the library; kits that use it keep it.`, {
    near: library.box,
    actions: [["Put it back", async () => (await change(library, sound, { removed: false })) && library.reload(true)]],
  });
}

/**
 * Another name, another role: by a double click on the name, or F2.
 * @param {import("./library.js").Library} library
 * @param {any} name
 */
export function rename(library, name) {
  if (!name || name.querySelector("input")) return;
  const sound = library.sound(Number(name.closest(".sound").dataset.place));
  const field = document.createElement("input");
  field.className = "input is-small";
  field.value = sound.name;
  field.maxLength = 80;
  field.setAttribute("aria-label", "New name of the sound");
  const role = document.createElement("select");
  role.setAttribute("aria-label", "What the sound is for");
  for (const option of byId("library").dataset.roles.split("|")) {
    const [key, words] = option.split(":");
    role.add(new Option(words, key, false, key === sound.role));
  }
  name.replaceChildren(field, role);
  field.focus();
  field.select();
  let over = false;
  const done = async (/** @type {any} */ keep) => {
    if (over) return;
    over = true;
    name.closest(".sound")?.removeAttribute("data-facts"); // drawn anew
    const wanted = field.value.trim() || sound.name;
    if (keep && (wanted !== sound.name || role.value !== sound.role)) {
      const result = await change(library, sound, { name: wanted, role: role.value });
      if (result) Object.assign(sound, { name: result.name, role: result.role, role_name: result.role_name });
    }
    await library.reload(true);
    library.box.focus({ preventScroll: true });
  };
  name.addEventListener("focusout", (/** @type {PageEvent} */ event) => name.contains(event.relatedTarget) || done(true));
  name.addEventListener("keydown", (/** @type {any} */ press) => {
    if (press.key === "Enter" || press.key === "Escape") done(press.key === "Enter");
    press.stopPropagation();
  });
}

/**
 * @param {import("./library.js").Library} library
 * @param {PageEvent} event
 */
export function dropping(library, event) {
  const box = event.target.closest?.("#library");
  if (!box || !event.dataTransfer?.types.includes("Files")) return;
  event.preventDefault();
  box.classList.toggle("dropping", event.type === "dragover");
  if (event.type === "drop") bring(library, [...event.dataTransfer.files]);
}

/**
 * @param {import("./library.js").Library} library
 * @param {any} files
 * @param {any} [field]
 */
export async function bring(library, files, field = null) {
  const state = byId("sound-state");
  state.classList.remove("wrong");
  const came = [];
  const refused = [];
  for (const [number, file] of files.entries()) {
    state.textContent = `Bringing in ${number + 1} of ${files.length}: ${file.name}…`;
    try {
      const answer = await askServer(`${library.songAddress}/library/upload?name=${encodeURIComponent(file.name)}`, {
        method: "POST",
        headers: { "Content-Type": "application/octet-stream", Accept: "application/json" },
        body: file,
      });
      const result = await answer.json();
      if (answer.ok) {
        came.push(...result.sounds);
        refused.push(...result.refused);
      } else refused.push(result.error);
    } catch {
      refused.push(`${file.name} did not arrive: Easy Pocket does not answer just now. Try again.`);
    }
  }
  if (field) field.value = "";
  const fresh = came.filter((sound) => sound.new);
  const words = [];
  if (fresh.length) words.push(`${fresh.length} sound${fresh.length > 1 ? "s" : ""} came in: ${fresh.slice(0, 3).map((sound) => `${sound.name} (${sound.role_name.toLowerCase()})`).join(", ")}${fresh.length > 3 ? ", …" : ""}.`);
  const known = came.length - fresh.length;
  if (known) words.push(`${known} ${known > 1 ? "are" : "is"} in the library already.`);
  words.push(...refused.slice(0, 3));
  if (refused.length > 3) words.push(`${refused.length - 3} more could not be used.`);
  state.textContent = words.join(" ");
  state.classList.toggle("wrong", refused.length > 0 && !came.length);
  if (fresh.length) {
    library.asked = { ...library.asked, role: fresh.length === 1 && fresh[0].role === library.kit.facts.role ? "voice" : "", source: "yours", words: "", order: "" };
    byId("find-words").value = "";
    library.showAsked();
    await library.reload();
    library.choose(Math.max(library.place(fresh[0].id), 0), { play: fresh.length === 1 });
  } else library.reload(true);
}
