// Which answers change the loop that is shown.

/**
 * What changes the loop that is shown, here or in another tab; taking a groove or the loop itself draws its own way.
 * @param {any} item
 */
export function redrawsLoop(item) {
  return item.elsewhere || ["undo", "redo", "now"].includes(item.path) || item.edit?.kind === "loop_correct";
}
