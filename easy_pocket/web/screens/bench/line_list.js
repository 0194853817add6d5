// Lines kept for any song: listed, heard, put in.

import { byId } from "../../shared/dom.js";
import { showNote } from "../../shared/notes.js";
import { lineRow, words } from "./history_rows.js";

const GROUPS = { "": "all", kick: "kick", backbeat: "backbeat", hats: "hats", percussion: "percussion", break: "breaks", own: "your own" };

/**
 * Lines --------------------------------------------------------------------------------------------------------------------
 * @param {import("./history.js").History} history
 */
export async function loadLines(history) {
  const result = await history.ask("lines");
  if (!result) return;
  history.lines = result.lines;
  history.group ??= "";
  showLines(history);
  byId("line-list").focus({ preventScroll: true });
}

/**
 * @param {import("./history.js").History} history
 * @param {any} group
 */
export function filter(history, group) {
  history.group = group;
  showLines(history);
  byId("line-list").focus({ preventScroll: true });
}

/**
 * @param {import("./history.js").History} history
 */
export function showLines(history) {
  byId("line-groups").replaceChildren(...Object.entries(GROUPS).map(([key, name]) => {
    const button = document.createElement("button");
    button.type = "button";
    button.dataset.lineGroup = key;
    button.textContent = name;
    button.className = key === history.group ? "on" : "";
    button.setAttribute("aria-pressed", key === history.group);
    return button;
  }));
  const rows = history.shown.map((line) => lineRow(line, line.key === history.heard));
  byId("line-list").replaceChildren(...(rows.length ? rows : [words(history.group === "own" ? "None of yours yet: choose hits and keep them below." : "No line fits.")]));
}

/**
 * A line in tempo on the kit of the part, at once if something plays, else from its start.
 * @param {import("./history.js").History} history
 * @param {string} key
 */
export async function hear(history, key) {
  history.heard = key;
  showLines(history);
  byId("line-list").querySelector(".on")?.scrollIntoView({ block: "nearest" });
  const result = await history.ask(`lines/${encodeURIComponent(key)}/playing`);
  if (!result || history.heard !== key || history.open !== "lines") return;
  await history.page.player.setBeside(result);
  if (!history.page.player.running) {
    history.startedHere = true;
    await history.page.player.start("stack");
    await history.page.player.setBeside(result);
  }
}

/**
 * @param {import("./history.js").History} history
 * @param {string} key
 */
export function put(history, key) {
  history.stopAudition();
  showLines(history);
  const { rails } = history;
  const bar = rails.facts.bar;
  const start_tick = rails.bars ? (rails.bars.from - 1) * bar : 0;
  rails.push({ kind: "put_line", key, start_tick }, { near: byId("memory") });
}

/**
 * @param {import("./history.js").History} history
 * @param {any} field
 */
export async function keepLine(history, field) {
  const { rails } = history;
  const hits = rails.chosen.hits;
  if (!hits.length) {
    showNote("Choose the hits to keep first: draw a frame round them, or w for the whole row.", { near: field, wrong: true });
    return;
  }
  const { bar, length } = rails.facts;
  const ticks = hits.map((/** @type {any} */ { tick }) => tick);
  const start = Math.floor(Math.min(...ticks) / bar) * bar;
  const end = Math.min(length, (Math.floor(Math.max(...ticks) / bar) + 1) * bar);
  const rows = hits.map((/** @type {import("../../shared/rail_data.js").Hit} */ hit) => [hit.voice, hit.tick - start, hit.velocity, hit.own, hit.asked, rails.chosen.bare(hit)]);
  const name = field.value.trim() || `line ${history.lines.filter((line) => line.own).length + 1}`;
  const result = await history.ask("lines", { name, length_ticks: Math.max(10, end - start), hits: rows });
  if (!result) return;
  field.value = "";
  history.lines = result.lines;
  filter(history, "own");
}

/**
 * @param {import("./history.js").History} history
 * @param {string} key
 * @param {Piece} button
 */
export async function putLineAway(history, key, button) {
  const result = await history.ask(`lines/${encodeURIComponent(key)}`, { removed: true });
  if (!result) return;
  history.lines = result.lines;
  showLines(history);
  const back = async () => {
    history.lines = (await history.ask(`lines/${encodeURIComponent(key)}`, { removed: false }))?.lines ?? history.lines;
    showLines(history);
  };
  showNote("The line was removed.", { near: byId("line-list") ?? button, actions: [["Put it back", back]] });
}
