// Which part, pattern and section the page looks at. It stands in the page's address, so that reload, back and a copied
// link keep the place, and goes along with every question to the server (api.js).

export const looking = { part: 0, pattern: 0, section: 0 };

export function lookText() {
  return `${looking.part}.${looking.pattern}.${looking.section}`;
}

/**
 * What the server says the page looks at now.
 * @param {any} options
 */
export function lookedAt([part, pattern, section]) {
  Object.assign(looking, { part, pattern, section });
  const address = new URL(location.href);
  if (address.searchParams.get("at") === lookText()) return;
  address.searchParams.set("at", lookText());
  history.replaceState(history.state, "", address);
}

// Gone back in the browser's history: look where that page looked.
export function lookBack() {
  const told = new URL(location.href).searchParams.get("at")?.split(".").map(Number);
  if (told?.length === 3 && told.every(Number.isInteger)) [looking.part, looking.pattern, looking.section] = told;
}
