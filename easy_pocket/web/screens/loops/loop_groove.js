// How a groove is to be taken from a loop - its bars, its slots, which bars count - and the bar map that shows it.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { showNote } from "../../shared/notes.js";

export class LoopGroove {
  /** @param {any} uses */
  constructor(uses) {
    this.uses = uses;
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => event.target.id === "groove-slots" && this.show());
  }

  wanted() {
    const pressed = (/** @type {string} */ name) => [...document.querySelectorAll(`[data-${name}][aria-pressed="true"]`)];
    const bars = pressed("from-bar").map((button) => Number(button.dataset.fromBar));
    const every = bars.length === document.querySelectorAll("[data-from-bar]").length;
    return {
      bars: Number(pressed("groove-bars")[0]?.dataset.grooveBars ?? 1),
      from_bars: every ? [] : bars,
      per_beat: Number(byId("groove-slots").value),
      lane: pressed("map-lane")[0]?.dataset.mapLane ?? "all",
    };
  }

  /** @param {PageEvent} event */
  click(event) {
    const button = event.target.closest?.("button");
    if (!button) return;
    const { dataset } = button;
    if (dataset.fromBar) {
      const others = document.querySelectorAll('[data-from-bar][aria-pressed="true"]').length - Number(button.getAttribute("aria-pressed") === "true");
      if (!others && button.getAttribute("aria-pressed") === "true") {
        showNote("A groove needs at least one bar: press another one first.", { near: button, wrong: true });
        return;
      }
      press(button, button.getAttribute("aria-pressed") !== "true");
    } else if (dataset.grooveBars || dataset.mapLane) {
      for (const other of button.parentElement.children) press(other, other === button);
    } else return;
    this.show();
  }

  async show() {
    const { lane, bars, from_bars, per_beat } = this.wanted();
    const query = new URLSearchParams(/** @type {any} */ ({ lane, bars, per_beat }));
    for (const bar of from_bars) query.append("from_bar", `${bar}`);
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const answer = await ask(`${this.uses.loops.address}/map?${query}`).catch(() => null);
    if (turn !== this.turn || !byId("bar-map")) return;
    if (answer?.ok) byId("bar-map").innerHTML = await answer.text();
    else showNote((await answer?.json().catch(() => null))?.error ?? "Easy Pocket does not answer just now; nothing was changed.", { near: byId("groove-slots"), wrong: true });
  }
}

/**
 * @param {any} button
 * @param {boolean} on
 */
function press(button, on) {
  button.classList.toggle("on", on);
  button.setAttribute("aria-pressed", on);
}
