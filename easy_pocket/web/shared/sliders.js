// Paint how far each slider's thread is drawn.

/** @param {Piece} slider */
export function paint(slider) {
  const low = Number(slider.min);
  const high = Number(slider.max);
  const share = ((Number(slider.value) - low) / (high - low)) * 100;
  const zero = low < 0 && !slider.classList.contains("level") ? (-low / (high - low)) * 100 : 0;
  slider.style.setProperty("--from", `${Math.min(share, zero)}%`);
  slider.style.setProperty("--fill", `${Math.max(share, zero)}%`);
}

/** @param {ParentNode} [root] */
export function paintAll(root = document) {
  root.querySelectorAll('input[type="range"]').forEach(paint);
}
