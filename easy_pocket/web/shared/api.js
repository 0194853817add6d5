// Questions to the server: what the page looks at is part of their address.

import { selectionText } from "./selection.js";

// A tab that was copied by the browser is another tab: the name lasts as long as the page.
export const OWN_TAB = crypto.randomUUID ? crypto.randomUUID().slice(0, 18) : `${Date.now()}${Math.floor(Math.random() * 1e9)}`;
let count = 0;

/** @param {string} address */
export function withSelection(address) {
  const url = new URL(address, location.href);
  if (!url.pathname.startsWith("/songs/")) return address;
  url.searchParams.set("at", selectionText());
  return `${url.pathname}${url.search}`;
}

/**
 * As fetch.
 * @param {string} address
 * @param {any} [options]
 */
export function ask(address, options = {}) {
  return fetch(withSelection(address), options);
}

/**
 * @param {string} address
 * @param {any} body
 */
export function askJson(address, body) {
  return ask(address, { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(body) });
}

// For an edit that comes with a file: sent twice, it is made once.
export function newEditId() {
  return `${OWN_TAB}-${(count += 1)}${Math.floor(Math.random() * 1e6)}`;
}
