// Which part, pattern and section the page looks at. It stands in the page's address, so that reload, back and a copied
// link keep the place, and goes along with every question to the server (api.js).

export const selection = { part: 0, pattern: 0, section: 0 };

export function selectionText() {
  return `${selection.part}.${selection.pattern}.${selection.section}`;
}

/**
 * What the server says the page looks at now.
 * @param {any} options
 */
export function setSelection([part, pattern, section]) {
  Object.assign(selection, { part, pattern, section });
  const address = new URL(location.href);
  if (address.searchParams.get("at") === selectionText()) return;
  address.searchParams.set("at", selectionText());
  history.replaceState(history.state, "", address);
}

// Gone back in the browser's history: look where that page looked.
export function selectionFromAddress() {
  const told = new URL(location.href).searchParams.get("at")?.split(".").map(Number);
  if (told?.length === 3 && told.every(Number.isInteger)) [selection.part, selection.pattern, selection.section] = told;
}
