// The page of one's account: a link that is shown once is chosen whole, and what cannot be taken back is asked twice.

import { make } from "./passkeys.js";

const SURE_MS = 600; // a double click is no second thought

export function mount() {
  /** @type {HTMLInputElement | null} */ (document.querySelector("[data-invitation]"))?.select();
  document.addEventListener("submit", asked);
  document.addEventListener("focusout", calm);
}

export function unmount() {
  document.removeEventListener("submit", asked);
  document.removeEventListener("focusout", calm);
}

/** @param {SubmitEvent} event */
function asked(event) {
  const form = /** @type {HTMLFormElement} */ (event.target);
  if (form.id === "make-passkey") {
    event.preventDefault();
    make(form);
  }
  if (form.dataset.askedTwice === undefined || form.dataset.sure === "yes") return;
  event.preventDefault();
  const button = /** @type {HTMLButtonElement} */ (form.querySelector("button"));
  form.dataset.before ??= button.textContent ?? "";
  button.textContent = form.dataset.askedTwice;
  form.dataset.label ??= button.getAttribute("aria-label") ?? "";
  if (form.dataset.label) button.setAttribute("aria-label", `${form.dataset.label}: ${form.dataset.askedTwice}`);
  setTimeout(() => (form.dataset.sure = "yes"), SURE_MS);
}

/** @param {FocusEvent} event */
function calm(event) {
  const form = /** @type {HTMLFormElement | null} */ (/** @type {Element} */ (event.target).closest("[data-asked-twice]"));
  if (!form?.dataset.before) return;
  delete form.dataset.sure;
  const button = /** @type {HTMLButtonElement} */ (form.querySelector("button"));
  button.textContent = form.dataset.before;
  if (form.dataset.label) button.setAttribute("aria-label", form.dataset.label);
}
