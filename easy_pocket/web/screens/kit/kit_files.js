// A kit brought in from a file.

import { byId } from "../../shared/dom.js";
import { ask, newEditId } from "../../shared/api.js";

/**
 * @param {import("./kit.js").default} kit
 * @param {any} field
 */
export async function bringKit(kit, field) {
  const [file] = field.files;
  const state = byId("kit-state");
  state.classList.remove("wrong");
  state.textContent = `Bringing in ${file.name}…`;
  try {
    const address = `/songs/${kit.page.song.id}/kit/upload?revision=${kit.edits.revision}&name=${encodeURIComponent(file.name)}&edit_id=${newEditId()}`;
    const answer = await ask(address, { method: "POST", headers: { "Content-Type": "application/octet-stream", Accept: "application/json" }, body: file });
    const result = await answer.json();
    if (answer.ok) {
      kit.edits.revision = result.song.revision;
      kit.page.view = { ...kit.page.view, voice: "", layer: 0, alternate: 0 };
      kit.page.take({ state: result, item: { path: "edits", edit: { kind: "kit" } }, more: false });
      const left = result.remarks.length ? ` Not brought in: ${result.remarks.join(" ")}` : " All of it was brought in.";
      byId("kit-state").textContent = `${result.name} plays now.${left}`;
    } else {
      state.textContent = result.error;
      state.classList.add("wrong");
      if (answer.status === 409) kit.page.refresh();
    }
  } catch {
    state.textContent = `${file.name} did not arrive: Easy Pocket does not answer just now. The kit is as it was; try again.`;
    state.classList.add("wrong");
  }
  field.value = "";
}
