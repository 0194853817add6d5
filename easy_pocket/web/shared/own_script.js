// The script of a screen that belongs to no song: the screen names it, and it is mounted beside whatever page there is.

/** @type {{ mount: (page: import("./page.js").Page | null) => void, unmount: () => void } | null} */
let own = null;

/** @param {import("./page.js").Page | null} page */
export async function mountOwn(page) {
  const piece = /** @type {Piece | null} */ (document.querySelector("#screen [data-script]"));
  if (!piece) own?.unmount();
  if (!piece) return;
  own = await import(piece.dataset.script);
  if (piece.isConnected) own?.mount(page);
}
