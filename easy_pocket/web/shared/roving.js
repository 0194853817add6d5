// One tab stop for a group of controls, arrows inside it; what a menu has opened is gone through by Tab. Groups say how they are laid out: data-roving="row" (left and
// right move, up and down are the control's own), "column" (the other way round), or "grid" (rows of controls); in
// one of its "own" the screen moves by its own keys, and only the tab stop is kept.

const CONTROLS = "a[href], button, input, select, textarea, summary, [tabindex]";
const TEXT = 'input:not([type="range"], [type="checkbox"], [type="radio"], [type="number"], [type="file"]), textarea';
/** @type {Record<string, Record<string, number>>} */
const MOVES = {
  row: { ArrowLeft: -1, ArrowRight: 1 },
  column: { ArrowUp: -1, ArrowDown: 1 },
  grid: { ArrowLeft: -1, ArrowRight: 1 },
};

export class Roving {
  constructor() {
    /** @type {WeakMap<Element, Element>} */
    this.last = new WeakMap(); // of a group the control that had the focus
    document.addEventListener("keydown", (event) => this.key(event), true);
    document.addEventListener("focusin", (event) => {
      const group = event.target.closest?.("[data-roving]");
      if (group && event.target !== group) this.last.set(group, event.target);
    });
  }

  /** @param {PageEvent} event */
  key(event) {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    if (event.key === "Tab") this.stops();
    else if (event.key === " " && event.target.matches?.('[role="tab"]:focus-visible')) {
      event.preventDefault(); // a tab is a link: Space would scroll
      event.target.click();
    }
    else if (!event.shiftKey && event.key.startsWith("Arrow")) this.arrow(event);
  }

  // Set just before the browser looks for the next stop: what is drawn anew needs no care.
  stops() {
    for (const group of /** @type {HTMLElement[]} */ ([...document.querySelectorAll("[data-roving]")])) {
      const items = itemsOf(group);
      const here = items.find((item) => item === document.activeElement) ?? items.find((item) => item === this.last.get(group));
      const stop = here ?? items.find((item) => item.matches('[aria-current], .on, [aria-selected="true"]')) ?? items[0];
      for (const item of items) item.tabIndex = item === stop ? 0 : -1;
    }
  }

  /** @param {PageEvent} event */
  arrow(event) {
    const group = /** @type {Piece | null} */ (event.target.closest?.("[data-roving]"));
    if (!group || event.target === group) return;
    const items = itemsOf(group);
    const at = items.indexOf(event.target);
    if (at < 0 || staysIn(event)) return;
    const layout = group.dataset.roving ?? "row";
    if (layout === "own") return; // the screen's work has arrows of its own
    /** @type {HTMLElement | null | undefined} */
    let next = items[at + (MOVES[layout][event.key] ?? 0)];
    if (layout === "grid" && (event.key === "ArrowUp" || event.key === "ArrowDown")) next = below(items, at, event.key === "ArrowDown" ? 1 : -1);
    if (MOVES[layout][event.key] === undefined && layout !== "grid") return;
    event.preventDefault();
    event.stopPropagation();
    if (next && next !== event.target) next.focus();
  }
}

/**
 * @param {HTMLElement} group
 * @returns {HTMLElement[]}
 */
function itemsOf(group) {
  const found = /** @type {HTMLElement[]} */ ([...group.querySelectorAll(CONTROLS)]);
  return found.filter((item) => !item.closest(".popover") && item.closest("[data-roving]") === group && !(/** @type {any} */ (item).disabled) && item.checkVisibility() && !item.hasAttribute("data-not-roving"));
}

/**
 * The caret moves in a text until it is at its end; a slider in a grid keeps up and down.
 * @param {PageEvent} event
 */
function staysIn(event) {
  const { target, key } = event;
  if (target.matches(TEXT)) {
    if (key === "ArrowUp" || key === "ArrowDown") return target.closest("[data-roving]").dataset.roving !== "column";
    const [start, end] = [target.selectionStart ?? 0, target.selectionEnd ?? 0];
    return key === "ArrowLeft" ? start > 0 || end > 0 : end < target.value.length;
  }
  const grid = target.closest("[data-roving]").dataset.roving === "grid";
  return grid && target.matches('input[type="range"]') && (key === "ArrowUp" || key === "ArrowDown");
}

/**
 * The control that lies above or below, nearest to the same place across.
 * @param {HTMLElement[]} items
 * @param {number} at
 * @param {1 | -1} by
 */
function below(items, at, by) {
  const from = items[at].getBoundingClientRect();
  const middle = (from.left + from.right) / 2;
  let best = null;
  let least = Infinity;
  for (const item of items) {
    const box = item.getBoundingClientRect();
    const down = by > 0 ? box.top - from.bottom : from.top - box.bottom;
    if (down < -2) continue;
    const away = down * 4 + Math.abs((box.left + box.right) / 2 - middle);
    if (away < least) [best, least] = [item, away];
  }
  return best;
}
