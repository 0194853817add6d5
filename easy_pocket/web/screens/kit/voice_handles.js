// Handles on the picture of a voice: dragged, they set its envelope; and voices put in another order.

import { showLedger } from "../../shared/notes.js";

/**
 * @param {import("./kit.js").default} kit
 * @param {PageEvent} event
 */
export function down(kit, event) {
  kit.moved = false;
  const handle = event.target.closest?.(".layer-box .handle");
  if (!handle || event.button !== 0) return;
  event.preventDefault();
  const box = handle.closest(".layer-box");
  const { start, length, fade, delay } = box.dataset;
  kit.handle = {
    what: handle.dataset.handle,
    box,
    layer: Number(box.closest("[data-layer-line]").dataset.layerLine),
    x: event.clientX,
    perPx: kit.facts.axis / box.getBoundingClientRect().width,
    from: { start: Number(start), fade: Number(fade), delay: Number(delay), length: length === "" ? null : Number(length) },
    shown: places(kit, box),
    gesture: `handle-${Date.now()}`,
  };
  box.setPointerCapture?.(event.pointerId);
}

/**
 * @param {import("./kit.js").default} kit
 * @param {Piece} box
 */
export function places(kit, box) {
  const number = (/** @type {string} */ selector, /** @type {string} */ name) => parseFloat(box.querySelector(selector).getAttribute(name) ?? "0");
  return { start: number('[data-handle="start"] .edge', "x1"), end: number('[data-handle="length"] .edge', "x1"), fade: number(".fade", "x2") };
}

/**
 * @param {import("./kit.js").default} kit
 * @param {PageEvent} event
 */
export function move(kit, event) {
  const now = kit.handle;
  if (!now) return;
  const dx = event.clientX - now.x;
  if (!kit.moved && Math.abs(dx) < 3) return;
  kit.moved = true;
  const ms = dx * now.perPx;
  const { from } = now;
  const round = (/** @type {any} */ value, /** @type {any} */ digits) => Number(value.toFixed(digits));
  const percent = (dx / now.box.getBoundingClientRect().width) * 100;
  const values = /** @type {Record<string, any>} */ ({
    start: () => ({ start_ms: round(Math.max(0, Math.min(2000, from.start + ms)), 1) }),
    fade: () => ({ fade_in_ms: round(Math.max(0, Math.min(1000, from.fade + ms)), 1) }),
    delay: () => ({ delay_ms: round(Math.max(0, Math.min(200, from.delay + ms)), 2) }),
    length: () => ({ length_ms: round(Math.max(2, Math.min(8000, (now.shown.end / 100) * kit.facts.axis - from.delay + ms)), 1) }),
  })[now.what]();
  drawHandle(kit, now, percent);
  const [[name, value]] = Object.entries(values);
  showLedger(`layer ${now.layer + 1}|${name.replace(/_ms$/, "").replace("_", "-")} ${value} ms`);
  kit.setLayer(values, now.gesture, now.box, now.layer);
}

/**
 * @param {import("./kit.js").default} kit
 * @param {any} options
 * @param {any} percent
 */
export function drawHandle(kit, { what, box, shown }, percent) {
  const at = (/** @type {string} */ selector, /** @type {any} */ names, /** @type {any} */ value) => box.querySelectorAll(selector).forEach((/** @type {any} */ piece) => names.forEach((/** @type {string} */ name) => piece.hasAttribute(name) && piece.setAttribute(name, `${value}%`)));
  if (what === "start") at('[data-handle="start"] *', ["x1", "x2"], Math.max(0, shown.start + percent));
  if (what === "fade") at('[data-handle="fade"] circle', ["cx"], Math.max(shown.start, shown.fade + percent));
  if (what === "fade") box.querySelector(".fade").setAttribute("x2", `${Math.max(shown.start, shown.fade + percent)}%`);
  if (what === "length") at('[data-handle="length"] *', ["x1", "x2", "cx"], Math.max(shown.start, shown.end + percent));
  if (what === "delay") box.querySelector(".layer-wave").style.transform = `translateX(${percent}%)`;
}

/**
 * @param {import("./kit.js").default} kit
 */
export function up(kit) {
  const was = kit.handle;
  kit.handle = null;
  if (was && kit.moved && !kit.edits.queue.length) kit.page.refresh();
  if (was && !kit.moved && was.layer !== kit.facts.layer) kit.look({ layer: was.layer });
}

/**
 * @param {import("./kit.js").default} kit
 * @param {PageEvent} event
 */
export function reorder(kit, event) {
  const line = event.target.closest?.("[data-kit-voice]");
  if (event.type === "dragstart" && line) {
    kit.carried = line.dataset.kitVoice;
    event.dataTransfer.effectAllowed = "move";
  } else if (kit.carried && line) {
    event.preventDefault();
    if (event.type !== "drop") return;
    const place = [...document.querySelectorAll("[data-kit-voice]")].indexOf(line);
    if (line.dataset.kitVoice !== kit.carried) kit.shared.push({ kind: "kit_voice_place", role: kit.carried, place }, { near: line });
    kit.carried = null;
  }
}

/**
 * A voice up or down in the kit.
 * @param {import("./kit.js").default} kit
 * @param {any} role
 * @param {number} by
 * @param {Piece} near
 */
export function moveVoice(kit, role, by, near) {
  const roles = [...document.querySelectorAll("[data-kit-voice]")].map((line) => line.dataset.kitVoice);
  const place = roles.indexOf(role) + by;
  if (place >= 0 && place < roles.length) kit.shared.push({ kind: "kit_voice_place", role, place }, { near });
}

// Numbers of the sounds of the voice that is shown: 0 is its own.
export function alternates() {
  return [...document.querySelectorAll("[data-alternate-show]")].map((button) => Number(button.dataset.alternateShow));
}

/**
 * What was just added is what is worked on, once it is drawn: while more answers are awaited it is not.
 * @param {import("./kit.js").default} kit
 */
export function goToAdded(kit) {
  const { added, facts } = kit;
  if (!added || !alternates().includes(added.alternate)) return;
  if (added.alternate === facts.alternate && added.layer >= facts.layers) return;
  kit.look(added);
}
