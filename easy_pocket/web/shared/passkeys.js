// Passkeys: the browser asks its user for one, or makes one; what it gives is sent as it writes it itself.

/**
 * @param {string} address
 * @param {BodyInit} [body]
 * @param {Record<string, string>} [headers]
 */
async function asked(address, body, headers = {}) {
  const answer = await fetch(address, { method: "POST", body, headers: { Accept: "application/json", ...headers } });
  const told = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Error(told.error ?? "Easy Pocket did not answer as it should: try again.");
  return told;
}

/** @param {unknown} value */
const asJson = (value) => /** @type {[string, Record<string, string>]} */ ([JSON.stringify(value), { "Content-Type": "application/json" }]);

/** @param {any} error */
const words = (error) => (error.name === "NotAllowedError" ? "It was left, or took too long: nothing was changed." : error.name === "InvalidStateError" ? "This device has a passkey of this account already." : error.message);

/**
 * @param {HTMLFormElement} form
 * @param {() => Promise<unknown>} doing
 */
async function once(form, doing) {
  const button = /** @type {HTMLButtonElement} */ (form.querySelector("button"));
  const line = /** @type {HTMLElement} */ (form.querySelector("[role=alert]"));
  line.textContent = "";
  if (!window.PublicKeyCredential?.parseCreationOptionsFromJSON) {
    line.textContent = "This browser knows no passkeys: take another one, or sign in with your password.";
    return;
  }
  button.disabled = true;
  try {
    await doing();
  } catch (error) {
    line.textContent = words(error);
    button.disabled = false;
    button.focus();
  }
}

/** @param {HTMLFormElement} form */
export function make(form) {
  return once(form, async () => {
    const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(await asked("/account/passkeys/begin", new URLSearchParams({ password: /** @type {HTMLInputElement} */ (form.elements.namedItem("password")).value })));
    const made = /** @type {PublicKeyCredential} */ (await navigator.credentials.create({ publicKey }));
    await asked("/account/passkeys", ...asJson(made.toJSON()));
    location.assign("/account");
  });
}

/** @param {HTMLFormElement} form */
function use(form) {
  return once(form, async () => {
    const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(await asked("/sign-in/passkey/begin"));
    const found = /** @type {PublicKeyCredential} */ (await navigator.credentials.get({ publicKey }));
    const { address } = await asked("/sign-in/passkey", ...asJson({ credential: found.toJSON(), next: form.dataset.next }));
    location.assign(address);
  });
}

/** @param {SubmitEvent} event */
function submitted(event) {
  const form = /** @type {HTMLFormElement} */ (event.target);
  if (form.id !== "use-passkey") return;
  event.preventDefault();
  use(form);
}

export function mount() {
  document.addEventListener("submit", submitted);
}

export function unmount() {
  document.removeEventListener("submit", submitted);
}
