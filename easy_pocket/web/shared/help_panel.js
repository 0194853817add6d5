// The how-to pages beside the work: of this screen first, searched; the beat goes on.

import { byId } from "./dom.js";
import { Panel } from "./panel.js";

export class HelpPanel extends Panel {
  constructor() {
    super("help");
    this.wanted = ""; // id of the heading that was pressed in what was found
    document.addEventListener("click", (event) => this.click(event));
    document.body.addEventListener("htmx:afterSwap", (event) => event.detail.target?.id === "help-page" && this.swapped());
    document.body.addEventListener("htmx:configRequest", (event) => {
      if (event.detail.path === "/help/search") event.detail.parameters.first = this.screen;
    });
  }

  get screen() {
    return byId("screen").dataset.screen ?? "";
  }

  /** @param {PageEvent} event */
  click(event) {
    if (event.target.closest?.("[data-how-to]")) this.toggle();
    const found = event.target.closest?.("[data-help-at]");
    if (found) this.wanted = found.dataset.helpAt;
    if (event.target.closest?.("#help a[href^='/help/']")) event.preventDefault();
  }

  show() {
    super.show();
    const button = this.box.querySelector(`[data-help-page="${this.screen}"]`) ?? this.box.querySelector("[data-help-page]");
    if (byId("help-page").querySelector("[data-help-shown]")?.dataset.helpShown !== button.dataset.helpPage) button.click();
    byId("help-words").focus({ preventScroll: true });
  }

  swapped() {
    const page = byId("help-page");
    const shown = page.querySelector("[data-help-shown]")?.dataset.helpShown;
    for (const button of this.box.querySelectorAll("[data-help-page]")) {
      button.classList.toggle("on", button.dataset.helpPage === shown);
      button.setAttribute("aria-current", button.dataset.helpPage === shown ? "page" : "false");
    }
    const heading = this.wanted && byId(this.wanted);
    this.wanted = "";
    if (heading) heading.scrollIntoView({ block: "start" });
    else page.scrollTop = 0;
  }
}
