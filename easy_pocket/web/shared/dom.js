// Small pieces of the page, made in one line; what comes from people is always text.

/** @type {Record<string, string>} */
export const MARKS = { "": "", circle: "○", triangle: "△", square: "□", diamond: "◇", cross: "✕", star: "☆" };

/**
 * An element of the page that is known to be there.
 * @template {Element} [T=Piece]
 * @param {string} id
 * @returns {T}
 */
export const byId = (id) => /** @type {any} */ (document.getElementById(id));

/**
 * @param {string} tag
 * @param {string} [className]
 * @param {(Node | string)[]} [children]
 * @returns {Piece}
 */
export function element(tag, className = "", children = []) {
  const made = document.createElement(tag);
  made.className = className;
  made.append(...children);
  return /** @type {any} */ (made);
}

/**
 * @param {string} tag
 * @param {string | number} words
 * @param {string} [className]
 */
export function text(tag, words, className = "") {
  const made = element(tag, className);
  made.textContent = words === null ? "" : String(words);
  return made;
}

/** What has the focus, as a piece of the page. */
export const focused = () => /** @type {Piece} */ (document.activeElement ?? document.body);

const MOST_FRAMES = 30;

/**
 * Give the keys to something that is about to be shown.
 * @param {() => HTMLElement | null | undefined} find
 * @param {number} [left] frames to wait for it
 */
export function focusWhenShown(find, left = MOST_FRAMES) {
  const piece = find();
  if (piece && piece.offsetParent !== null) piece.focus({ preventScroll: true });
  else if (left) requestAnimationFrame(() => focusWhenShown(find, left - 1));
}
