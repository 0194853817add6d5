// What is made of an idea: put in, joined to a section, mixed, brought in from a file.

import { byId } from "../../shared/dom.js";
import { ask as askServer } from "../../shared/api.js";
import { selection } from "../../shared/selection.js";
import { showNote } from "../../shared/notes.js";

export const SILENT = "Easy Pocket does not answer just now; the ideas you see stay. Try again in a moment.";

/**
 * Doing ------------------------------------------------------------------------------------------------------------
 * @param {import("./ideas.js").default} ideas
 */
export async function put(ideas) {
  const { idea } = ideas;
  if (!idea) return;
  const changes = ideas.kept();
  /** @type {import("../../shared/shapes").IdeaEdit} */
  const edit = {
    kind: "idea", what: idea.kind, words: idea.words.slice(0, 400), changes, length_ticks: idea.length_ticks,
    stages: idea.stages, one_by_one: byId("one-by-one").checked, learn: learnedFrom(idea),
  };
  ideas.hearing.end();
  if (await ideas.page.edits.push(edit, { near: ideas.grid.children[ideas.at] })) ideas.taken({ ...idea, changes });
}

/**
 * What is learned from an idea while it is in; undo takes that back with it.
 * @param {any} idea
 */
const learnedFrom = ({ key, traits = [] }) => ({ key, traits });

/**
 * The section ends with this fill, wherever its pattern is played; the pattern itself stays as it is.
 * @param {import("./ideas.js").default} ideas
 * @param {Piece} near
 */
export async function endSection(ideas, near) {
  const { idea } = ideas;
  if (!idea) return;
  /** @type {import("../../shared/shapes").JoinIdeaEdit} */
  const edit = { kind: "join_idea", section_id: selection.section, changes: ideas.kept(), begin_tick: idea.begin, end_tick: idea.end, learn: learnedFrom(idea) };
  const changes = ideas.kept();
  if (await ideas.page.edits.push(edit, { near })) ideas.log.remember("taken", [{ ...idea, changes }]);
}

/**
 * @param {import("./ideas.js").default} ideas
 * @param {string} way
 * @param {Piece} near
 */
export async function mix(ideas, way, near) {
  const pinned = ideas.cards.filter((card) => card.pinned);
  if (pinned.length < 2) {
    showNote("Two pinned fills are needed to mix: pin two of them first.", { near, wrong: true });
    return;
  }
  const [one, other] = pinned.slice(-2).map((card) => ideas.kept(card.idea));
  ideas.join(await ideas.send("", { kind: "mix", one, other, way, beats: ideas.settings.beats, end_tick: ideas.windowEnd }));
}

/**
 * @param {import("./ideas.js").default} ideas
 */
export async function bring(ideas) {
  const bar = byId("bring-bar").value.trim();
  const body = { kind: "bring", loop_id: Number(byId("bring-loop").value), beats: ideas.settings.beats, end_tick: ideas.windowEnd };
  if (bar) Object.assign(body, { from_bar: Math.max(1, Math.round(Number(bar)) || 1), from_beat: Math.max(1, Math.round(Number(byId("bring-beat").value)) || 1) });
  ideas.join(await ideas.send("", body));
}

/**
 * A fill that was chosen on a loop's waveform comes first among the fills that are asked for.
 * @param {import("./ideas.js").default} ideas
 * @param {{ loop_id: number, from_bar: number, from_beat: number }} place
 * @param {number} beats
 */
export async function bringFrom(ideas, place, beats) {
  ideas.show("fill");
  ideas.settings.set("beats", beats);
  clearTimeout(ideas.timer);
  await ideas.ask();
  ideas.join(await ideas.send("", { kind: "bring", ...place, beats: ideas.settings.beats, end_tick: ideas.windowEnd }));
}

/**
 * @param {import("./ideas.js").default} ideas
 * @param {Blob & { name?: string }} file
 */
export async function upload(ideas, file) {
  const query = new URLSearchParams(/** @type {any} */ ({ name: (file.name ?? "").slice(-80), end_tick: ideas.windowEnd, beats: ideas.settings.beats }));
  const options = { method: "POST", headers: { "Content-Type": "application/octet-stream", Accept: "application/json" }, body: file };
  const answer = await askServer(`/songs/${ideas.page.song.id}/ideas/upload?${query}`, options).catch(() => null);
  const result = await answer?.json().catch(() => null);
  ideas.join(answer?.ok ? result : { error: result?.error || SILENT });
}

/**
 * @param {import("./ideas.js").default} ideas
 * @param {number} bars
 */
export function moveWindow(ideas, bars) {
  const { bar, length } = ideas.data;
  const end = Math.ceil(ideas.windowEnd / bar) * bar + bars * bar;
  if (end - ideas.settings.beats * ideas.data.pulse < 0 || end > length) return;
  ideas.end = end === length ? null : end;
  ideas.askSoon();
}

/**
 * @param {import("./ideas.js").default} ideas
 * @param {any} element
 * @param {any} idea
 */
export function showDropped(ideas, element, idea) {
  const dropped = ideas.dropped.get(idea.key);
  for (const mark of element.querySelectorAll(".i-mark")) {
    const comes = dropped?.has(Number(mark.dataset.comes)) ?? false;
    const stays = dropped?.has(Number(mark.dataset.goes)) ?? false;
    mark.classList.toggle("dropped", comes);
    mark.classList.toggle("stays", stays);
  }
}

/**
 * Not wanted: ideas like this one come less. It stays in its place, faint, until others come; pressed again it is back.
 * @param {import("./ideas.js").default} ideas
 * @param {number} [at]
 */
export function drop(ideas, at = ideas.at) {
  const card = ideas.cards[at];
  if (!card || ["grow", "build"].includes(ideas.kind)) return;
  if (card.pinned) ideas.pin(at);
  card.dropped = !card.dropped;
  showDrop(ideas.grid.children[at], card);
  ideas.log.remember(card.dropped ? "dropped" : "passed", [card.idea]);
}

/**
 * @param {any} element
 * @param {any} card
 */
export function showDrop(element, card) {
  const button = element.querySelector("[data-idea-drop]");
  button.textContent = card.dropped ? "take back" : "drop";
  button.setAttribute("aria-pressed", Boolean(card.dropped));
  element.classList.toggle("unwanted", Boolean(card.dropped));
}

/**
 * @param {import("./ideas.js").default} ideas
 * @param {any} element
 * @param {any} card
 */
export function showPin(ideas, element, card) {
  const pin = element.querySelector("[data-idea-pin]");
  pin.textContent = card.pinned ? "pinned" : "pin";
  pin.setAttribute("aria-pressed", card.pinned);
  element.classList.toggle("pinned", card.pinned);
}
