// A question with JSON in it, and its answer; what goes wrong comes back in words.

import { ask } from "../../shared/api.js";

/**
 * @param {string} address
 * @param {any} [sent] without it a plain question
 * @returns {Promise<any>} the answer, or {error}
 */
export async function askJson(address, sent) {
  const options = sent === undefined ? {} : { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(sent) };
  const answer = await ask(address, options).catch(() => null);
  if (!answer) return { error: "Easy Pocket does not answer just now: try again." };
  return answer.json().catch(() => ({ error: `Easy Pocket answered with ${answer.status} and no reason.` }));
}
