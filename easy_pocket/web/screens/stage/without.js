// Before and after: held, or pressed, the sound without the chain that is shown or without all of the Stage; as loud, so
// that the ear compares the sound and not the level.

export class Without {
  /** @param {import("./stage.js").default} stage */
  constructor(stage) {
    this.stage = stage;
    this.what = "";
    /** @type {string | null} */
    this.held = null;
    document.addEventListener("keyup", (event) => {
      if (!this.held || event.key.toLowerCase() !== this.held) return;
      this.held = null;
      this.end();
    });
    window.addEventListener("blur", () => this.held && this.end());
  }

  get player() {
    return this.stage.page.player;
  }

  /** @param {string} what */
  hold(what) {
    if (this.held) return true;
    this.held = what === "all" ? "b" : "v";
    this.set(what);
    return true;
  }

  /** @param {string} what */
  toggle(what) {
    this.set(this.what === what ? "" : what);
  }

  end() {
    if (this.what) this.set("");
  }

  /** @param {string} what "" for all as it is, "chain", or "all" */
  set(what) {
    this.what = what;
    for (const button of document.querySelectorAll("[data-without]")) {
      const on = button.dataset.without === what;
      button.classList.toggle("on", on);
      button.setAttribute("aria-pressed", on);
    }
    const matched_db = what === "all" ? (this.stage.whole.measured?.matched_db ?? 0) : 0;
    this.player.setWithout(what === "chain" ? this.stage.place.replace(/^kit:/, "part:") : what, matched_db);
  }
}
