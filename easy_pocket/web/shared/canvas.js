// What everything drawn on a canvas needs: our colours, a canvas fitted to its box.

/** @type {any} */
let known = null;
export function colours() {
  if (!known) {
    const style = getComputedStyle(document.documentElement);
    const of = (/** @type {string} */ name) => style.getPropertyValue(name).trim();
    known = { root: parseFloat(style.fontSize) || 16, ink: of("--ink"), early: of("--early"), late: of("--late"), thread: of("--thread"), quiet: of("--quiet"), seam: of("--seam"), deep: of("--seam-deep"), paper: of("--paper"), denim: of("--denim-light"), slot: of("--slot"), beat: of("--beat"), bar: of("--bar"), base: of("--base"), foot: of("--foot"), footLine: of("--foot-line"), count: of("--count"), wave: of("--wave"), marked: of("--marked"), veil: of("--veil") };
  }
  return known;
}

// By night, and on paper, the colours are others: what is drawn is drawn anew.
for (const asked of ["(prefers-color-scheme: dark)", "print"]) {
  window.matchMedia(asked).addEventListener("change", () => {
    known = null;
    window.dispatchEvent(new Event("resize"));
  });
}

/**
 * A canvas fitted to its box, ready to draw on in CSS pixels.
 * @param {any} canvas
 */
export function fitted(canvas) {
  const { clientWidth: width, clientHeight: height } = canvas;
  const scale = window.devicePixelRatio || 1;
  if (canvas.width !== Math.round(width * scale) || canvas.height !== Math.round(height * scale)) {
    canvas.width = Math.round(width * scale);
    canvas.height = Math.round(height * scale);
  }
  const pen = canvas.getContext("2d");
  pen.setTransform(scale, 0, 0, scale, 0, 0);
  pen.clearRect(0, 0, width, height);
  return { pen, width, height };
}

/**
 * @param {CanvasRenderingContext2D} pen
 * @param {number} x
 * @param {number} y
 * @param {number} radius
 */
export function circle(pen, x, y, radius) {
  pen.beginPath();
  pen.arc(x, y, radius, 0, 2 * Math.PI);
}

/**
 * A font for text in a canvas, as large as the reader has text in the browser: sizes are of 16 px.
 * @param {number} weight
 * @param {number} size_px
 * @param {"Plex" | "Hanken"} family
 */
export function textFont(weight, size_px, family) {
  return `${weight} ${(size_px * colours().root) / 16}px ${family}, ${family === "Plex" ? "monospace" : "sans-serif"}`;
}
