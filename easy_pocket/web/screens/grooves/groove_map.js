// Finding a groove by ear: those like the chosen one, its opposite, and a map that is played by pointing.

import { byId } from "../../shared/dom.js";
import { ask } from "../../shared/api.js";
import { showNote } from "../../shared/notes.js";

const SVG = "http://www.w3.org/2000/svg";
const REACH = 36; // px: so near the pointer has to be
const KINDS = /** @type {Record<string, string>} */ ({ groove: "of the shelf", loop: "in a loop of this song", take: "in a take of this song" });

export class GrooveMap {
  /** @param {import("./grooves.js").default} grooves */
  constructor(grooves) {
    this.grooves = grooves;
    /** @type {import("../../shared/shapes").GrooveMapData | null} */
    this.data = null;
    this.at = "";
    this.as = "list";
    /** @type {any} */
    this.order = null; // of the list: keys and shares, when it is by how like one they are
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("pointermove", (event) => this.point(event));
    window.addEventListener("resize", () => this.draw());
  }

  get box() {
    return byId("groove-map");
  }

  mount() {
    this.show(this.as);
  }

  /** @param {string} as */
  async show(as) {
    this.as = as;
    for (const button of document.querySelectorAll("[data-groove-as]")) {
      const on = /** @type {Piece} */ (button).dataset.grooveAs === as;
      button.classList.toggle("on", on);
      button.setAttribute("aria-pressed", String(on));
    }
    this.box.hidden = as !== "map";
    byId("groove-list").hidden = as === "map";
    if (as === "map" && (await this.fetch())) {
      this.at = `${this.grooves.data?.id ?? ""}`;
      this.draw();
      this.tell();
    }
  }

  async fetch() {
    const { grooves } = this;
    const answer = await ask(`/songs/${grooves.page.song.id}/grooves/map?to=${grooves.data?.id ?? ""}`).catch(() => null);
    if (!grooves.box) return false;
    if (!answer?.ok) {
      showNote("The grooves could not be compared: Easy Pocket does not answer just now. Try again in a moment.", { near: document.querySelector("[data-groove-as=map]"), wrong: true });
      return false;
    }
    this.data = await answer.json();
    return true;
  }

  get chosen() {
    return this.data?.points.find((point) => point.key === this.at);
  }

  /** @param {any} point */
  place(point) {
    const { clientWidth: width, clientHeight: height } = this.box.querySelector("svg");
    return [14 + point.across * (width - 28), 24 + (1 - point.up) * (height - 48)];
  }

  draw() {
    const svg = this.box?.querySelector("svg");
    if (!svg || !this.data || this.box.hidden) return;
    const { clientWidth: width, clientHeight: height } = svg;
    const { across, up, points } = this.data;
    const parts = [
      drawn("path", { class: "axis", d: `M0 ${height / 2}H${width}M${width / 2} 0V${height}` }),
      words(up[1], width / 2 + 5, 14), words(up[0], width / 2 + 5, height - 5),
      words(across[0], 5, height / 2 - 5), words(across[1], width - 5, height / 2 - 5, "end"),
    ];
    for (const point of points) {
      const [x, y] = this.place(point);
      const on = point.key === this.at;
      if (on) parts.push(drawn("circle", { class: "ring", cx: x, cy: y, r: 10 }));
      const kind = `point ${point.kind}${on ? " on" : ""}`;
      if (point.kind === "groove") parts.push(drawn("circle", { class: kind, cx: x, cy: y, r: 6, "data-key": point.key }));
      else if (point.kind === "loop") parts.push(drawn("rect", { class: kind, x: x - 5, y: y - 5, width: 10, height: 10, "data-key": point.key }));
      else parts.push(drawn("path", { class: kind, d: `M${x} ${y - 7}l7 12h-14z`, "data-key": point.key }));
      if (on) parts.push(words(point.name, Math.max(4, Math.min(x, width - 4)), y < 34 ? y + 24 : y - 14, x > width * 0.66 ? "end" : x < width * 0.33 ? "start" : "middle", "name"));
    }
    svg.replaceChildren(...parts);
  }

  /** @param {any} event */
  nearest(event) {
    const box = this.box.querySelector("svg").getBoundingClientRect();
    let [found, least] = [/** @type {any} */ (null), REACH];
    for (const point of this.data?.points ?? []) {
      const [x, y] = this.place(point);
      const apart = Math.hypot(event.clientX - box.left - x, event.clientY - box.top - y);
      if (apart < least) [found, least] = [point, apart];
    }
    return found;
  }

  /** @param {PageEvent} event */
  point(event) {
    if (!this.data || !event.target.closest?.("#groove-map svg")) return;
    const point = this.nearest(event);
    if (point && point.key !== this.at) this.hear(point.key);
  }

  /** @param {string} key */
  hear(key) {
    this.at = key;
    this.draw();
    this.tell();
    if (this.grooves.page.player.running) this.grooves.page.tryOut.hear(key, "stack");
  }

  tell() {
    const { chosen } = this;
    const line = byId("groove-point");
    if (!chosen) {
      line.textContent = "Point at a groove to hear it in the beat.";
      return;
    }
    line.textContent = `${chosen.name}: ${chosen.words}; ${KINDS[chosen.kind]}.`;
    if (chosen.kind !== "loop") return;
    const button = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: "take its groove" });
    button.dataset.grooveTake = chosen.key.slice(5);
    line.append(" ", button);
  }

  // What is pointed at stays, is shown to be worked on, and sounds.
  async choose() {
    const { chosen, grooves } = this;
    if (!chosen) return;
    const row = chosen.kind === "groove" && document.querySelector(`#groove-list [data-groove-id="${chosen.key}"]`);
    if (!grooves.page.player.running) await grooves.page.player.start("stack");
    if (row) grooves.list.show(byId("groove-list"), row, true);
    else grooves.page.tryOut.hear(chosen.key, "stack");
  }

  /** @param {PageEvent} event */
  click(event) {
    if (!this.grooves.box) return;
    const { grooveAs, grooveNear, grooveTake } = event.target.closest?.("button")?.dataset ?? {};
    if (grooveAs) {
      if (grooveAs === "list" && this.as === "list" && this.order) {
        this.order = null; // as it is on the shelf
        byId("groove-state").textContent = "";
        this.grooves.page.refresh();
      }
      this.show(grooveAs);
    }
    else if (grooveNear) this.near(grooveNear);
    else if (grooveTake) this.grooves.push({ kind: "groove_loop", name: this.chosen?.name.replace(/\.\w+$/, "") ?? "", loop_id: Number(grooveTake), bars: 1 }, event.target);
    else if (event.target.closest?.("#groove-map svg") && this.data) {
      const point = this.nearest(event);
      if (point) this.at = point.key;
      this.draw();
      this.tell();
      this.choose();
    }
  }

  /**
   * The list by how like the chosen groove they are, or how far its opposite; the first of the others is heard.
   * @param {string} way
   */
  async near(way) {
    if (!(await this.fetch())) return;
    const of = /** @type {any} */ (this.data).points;
    const from = `${this.grooves.data?.id}`;
    const ranked = of.filter((/** @type {any} */ point) => point.key !== from).sort((/** @type {any} */ one, /** @type {any} */ other) => other[way] - one[way]);
    const keys = ranked.map((/** @type {any} */ point) => point.key);
    this.order = { keys: way === "like" ? [from, ...keys] : [...keys, from], shares: new Map(ranked.map((/** @type {any} */ point) => [point.key, point[way]])) };
    const rows = this.arrange();
    const list = byId("groove-list");
    const others = ranked.filter((/** @type {any} */ point) => point.kind !== "groove").slice(0, 3);
    const told = others.map((/** @type {any} */ point) => `${point.name} ${Math.round(100 * point[way])} %`).join(", ");
    byId("groove-state").textContent = `${way === "like" ? "Like" : "Opposite to"} ${byId("groove-title")?.value ?? "it"}, the nearest first${told ? `. In this song: ${told}` : ""}.`;
    const first = ranked[0];
    if (this.as === "map" && first) this.hear(first.key);
    else {
      const row = ranked.map((/** @type {any} */ point) => rows.get(point.key)).find(Boolean);
      if (row) this.grooves.list.show(list, row, this.grooves.page.player.running);
    }
  }

  // The list in the order that was asked for, also after it came anew; gives its rows by key.
  arrange() {
    const list = byId("groove-list");
    const rows = new Map([...list.querySelectorAll("[data-groove-id]")].map((row) => [/** @type {Piece} */ (row).dataset.grooveId, row]));
    for (const row of rows.values()) row.querySelector(".share")?.remove();
    if (!this.order) return rows;
    for (const [key, share] of this.order.shares) rows.get(key)?.append(Object.assign(document.createElement("small"), { className: "num share", textContent: `${Math.round(100 * share)} %` }));
    const known = this.order.keys.map((/** @type {string} */ key) => rows.get(key)).filter(Boolean);
    list.append(...known, ...[...rows.values()].filter((row) => !known.includes(row)));
    return rows;
  }

  // Arrow keys go to the nearest point that way.
  get keys() {
    const when = () => document.activeElement === this.box && !this.box.hidden;
    const go = (/** @type {number} */ dx, /** @type {number} */ dy) => {
      const from = this.chosen ? this.place(this.chosen) : [0, 0];
      let [found, least] = [/** @type {any} */ (null), Infinity];
      for (const point of this.data?.points ?? []) {
        const [x, y] = this.place(point);
        const along = (x - from[0]) * dx + (y - from[1]) * dy;
        const beside = Math.abs((x - from[0]) * dy) + Math.abs((y - from[1]) * dx);
        if (point.key !== this.at && along > 1 && along + 2 * beside < least) [found, least] = [point, along + 2 * beside];
      }
      if (found) this.hear(found.key);
    };
    return [
      { keys: "ArrowRight", when, run: () => go(1, 0) },
      { keys: "ArrowLeft", when, run: () => go(-1, 0) },
      { keys: "ArrowUp", when, run: () => go(0, -1) },
      { keys: "ArrowDown", when, run: () => go(0, 1) },
      { keys: "Enter", when: () => when() && this.chosen?.kind === "groove", run: () => this.grooves.putOn("stack", Number(this.at), this.box) },
      { keys: "Escape", when, run: () => void this.grooves.page.tryOut.end() },
    ];
  }
}

/**
 * @param {string} name
 * @param {Record<string, any>} values
 */
function drawn(name, values) {
  const made = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(values)) made.setAttribute(key, value);
  return made;
}

/**
 * @param {string} text
 * @param {number} x
 * @param {number} y
 * @param {string} [anchor]
 * @param {string} [kind]
 */
function words(text, x, y, anchor = "start", kind = "") {
  const made = drawn("text", { x, y, "text-anchor": anchor, class: kind });
  made.textContent = text;
  return made;
}
