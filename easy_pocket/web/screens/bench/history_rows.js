// Rows of the history panel: words, snapshots, lines with their picture.

const SVG = "http://www.w3.org/2000/svg";

/** @param {string} text */
export function words(text) {
  const line = document.createElement("p");
  line.className = "memory-words";
  line.textContent = text;
  return line;
}

/** @param {any} options */
export function snapshotLine({ id, name }) {
  const row = document.createElement("div");
  row.className = "memory-row";
  const label = document.createElement("b");
  label.textContent = name;
  row.append(label, pressing("back to it", { snapshotBack: id }), pressing("remove", { snapshotAway: id }));
  return row;
}

/**
 * @param {string} text
 * @param {any} data
 */
export function pressing(text, data) {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "plain";
  button.textContent = text;
  Object.assign(button.dataset, data);
  return button;
}

/**
 * @param {any} line
 * @param {boolean} on
 */
export function lineRow(line, on) {
  const row = document.createElement("div");
  row.className = on ? "line-row on" : "line-row";
  const hear = document.createElement("button");
  hear.type = "button";
  hear.className = "line-hear";
  hear.dataset.line = line.key;
  hear.tabIndex = -1;
  hear.setAttribute("aria-pressed", on);
  const name = document.createElement("b");
  name.textContent = line.name;
  const facts = document.createElement("small");
  const tempi = line.tempo_bpm.length ? ` · ${line.tempo_bpm.join("–")} bpm` : "";
  facts.textContent = `${line.metre}${line.feel ? ` ${line.feel}` : ""}${tempi} · ${line.voices.join(", ")}`;
  hear.append(picture(line), name, facts);
  row.append(hear, pressing("put in", { linePut: line.key }));
  if (line.own) row.append(pressing("remove", { lineAway: line.key }));
  return row;
}

/** @param {any} line */
function picture(line) {
  const svg = document.createElementNS(SVG, "svg");
  svg.setAttribute("viewBox", "0 0 84 26");
  svg.setAttribute("aria-hidden", "true");
  const rows = Math.max(1, line.voices.length);
  for (const [at, voice, level] of line.picture) {
    const stroke = document.createElementNS(SVG, "path");
    const base = 25 - (rows - 1 - voice) * (26 / rows);
    stroke.setAttribute("d", `M${2 + at * 81} ${base}v${-Math.max(2, level * (26 / rows - 3))}`);
    svg.append(stroke);
  }
  return svg;
}
