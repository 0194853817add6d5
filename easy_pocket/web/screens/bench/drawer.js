// The drawer under the rails: drawn up and down, closed by a press, and as it was left when one comes back.

import { byId } from "../../shared/dom.js";

const KEPT = "easy-pocket-drawer";
const USUAL_PX = 112;
const LEAST_PX = 84; // lower than this it closes
const MOST_PX = 260;
const STEP_PX = 16;
const DRAG_PX = 4;

export class Drawer {
  /** @param {import("./rails.js").Rails} rails */
  constructor(rails) {
    this.rails = rails;
    /** @type {{ y: number, height: number, moved: boolean } | null} */
    this.drag = null;
    const kept = JSON.parse(localStorage.getItem(KEPT) || "null");
    this.height = Math.max(LEAST_PX, Math.min(MOST_PX, Number(kept?.height) || USUAL_PX));
    this.open = kept?.open !== false;
    document.addEventListener("pointerdown", (event) => this.down(event));
    document.addEventListener("pointermove", (event) => this.move(event));
    document.addEventListener("pointerup", () => this.up());
    document.addEventListener("pointercancel", () => (this.drag = null));
  }

  get grip() {
    return byId("drawer-grip");
  }

  show() {
    const box = byId("drawer");
    if (!box) return;
    box.classList.toggle("closed", !this.open);
    box.style.setProperty("--drawer", `${this.height}px`);
    this.grip.setAttribute("aria-valuenow", this.open ? this.height : 0);
    this.grip.setAttribute("aria-valuetext", this.open ? `${this.height} pixels` : "closed");
    this.rails.later();
  }

  /**
   * @param {boolean} open
   * @param {number} [height]
   */
  set(open, height = this.height) {
    this.open = open;
    this.height = Math.round(Math.max(LEAST_PX, Math.min(MOST_PX, height)));
    localStorage.setItem(KEPT, JSON.stringify({ open, height: this.height }));
    this.show();
  }

  /** @param {PageEvent} event */
  down(event) {
    if (event.button !== 0 || !event.target.closest?.("#drawer-grip")) return;
    event.preventDefault();
    this.grip.setPointerCapture(event.pointerId);
    this.drag = { y: event.clientY, height: this.open ? this.height : 0, moved: false };
  }

  /** @param {PageEvent} event */
  move(event) {
    const { drag } = this;
    if (!drag) return;
    const by = drag.y - event.clientY;
    drag.moved ||= Math.abs(by) >= DRAG_PX;
    if (drag.moved) this.set(drag.height + by > LEAST_PX / 2, drag.height + by);
  }

  up() {
    if (this.drag && !this.drag.moved) this.set(!this.open);
    this.drag = null;
  }

  // Escape while it is drawn: as it was.
  letGo() {
    if (!this.drag) return false;
    const { height } = this.drag;
    this.drag = null;
    this.set(height > 0, height || this.height);
    return true;
  }

  /** @returns {import("../../shared/keys.js").KeyRow[]} while the grip has the keys */
  get keys() {
    const holds = () => document.activeElement === this.grip;
    const by = (/** @type {number} */ px) => (holds() ? (this.set(this.open ? this.height + px >= LEAST_PX : px > 0, this.open ? this.height + px : this.height), true) : false);
    return [
      { keys: "ArrowUp", run: () => by(STEP_PX) },
      { keys: "ArrowDown", run: () => by(-STEP_PX) },
      { keys: "Enter", run: () => (holds() ? (this.set(!this.open), true) : false) },
    ];
  }
}
