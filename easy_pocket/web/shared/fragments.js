// Fragments of the page that the server drew, swapped in by htmx out of band. They are morphed into what is there, so
// that focus, caret, scroll and open menus survive.

const TYPED = 'input:not([type="range"], [type="checkbox"], [type="radio"]), textarea';

/**
 * Attributes that belong to the page, not to the server: what Alpine binds, what a hand has opened, what is being typed.
 * @param {string} name
 * @param {Piece} node
 */
function isOurs(name, node) {
  if (name === "value" && node === document.activeElement && node.matches(TYPED) && !node.readOnly) return true;
  if (name === "open" && node.matches("details")) return true;
  if (node.hasAttribute("x-show") && (name === "style" || name === "x-cloak")) return true;
  return node.hasAttribute(`x-bind:${name}`);
}

const MORPH = {
  morphStyle: "innerHTML",
  callbacks: { beforeAttributeUpdated: (/** @type {string} */ name, /** @type {Piece} */ node) => !isOurs(name, node) },
};

htmx.defineExtension("refresh", {
  isInlineSwap: () => false,
  /**
   * @param {any} style
   * @param {Piece} target
   * @param {any} fragment
   */
  handleSwap(style, target, fragment) {
    if (style !== "refresh") return false;
    const only = fragment.childElementCount === 1 && fragment.firstElementChild;
    const whole = only && only.id === target.id; // the target itself, drawn anew
    Idiomorph.morph(target, [...(whole ? only : fragment).childNodes], MORPH);
    return [target];
  },
});

/**
 * Swap in fragments: HTML of elements with `hx-swap-oob="refresh"`.
 * @param {string} html
 * @param {(id: string, target: Element) => boolean} holds whether one stays as it is
 */
export function swapFragments(html, holds = () => false) {
  if (!html) return;
  const veto = (/** @type {any} */ event) => {
    if (holds(event.detail.target.id, event.detail.target)) event.detail.shouldSwap = false;
  };
  document.body.addEventListener("htmx:oobBeforeSwap", veto);
  htmx.swap(document.body, html, { swapStyle: "none" });
  document.body.removeEventListener("htmx:oobBeforeSwap", veto);
}

/**
 * Put a page's screen in the place of the one shown.
 * @param {string} html the whole page
 * @param {boolean} anew whether it is another screen; the same one is morphed
 */
export function swapScreen(html, anew) {
  htmx.swap("#screen", html, { swapStyle: anew ? "outerHTML" : "refresh" }, { contextElement: document.body, select: "#screen", selectOOB: "#ledger-line:innerHTML" });
}
