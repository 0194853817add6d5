// The list of keys: made from the tables they go by, this screen's first. It has the keys while it is open, and gives them
// back to what had them.

import { byId } from "./dom.js";
import { lettersAreOn, listKeys, setLetters } from "./keys.js";
import { Panel } from "./panel.js";

export class KeyList extends Panel {
  /** @param {() => [string, import("./keys.js").KeyRow[]][]} tables titles and rows, in the order they are listed */
  constructor(tables) {
    super("shortcuts");
    this.tables = tables;
    document.addEventListener("click", (event) => event.target.closest?.("[data-help]") && this.toggle());
    document.addEventListener("change", (event) => event.target.id === "letter-keys" && setLetters(event.target.checked));
  }

  show() {
    listKeys(byId("shortcut-list"), this.tables());
    byId("letter-keys").checked = lettersAreOn();
    super.show();
    this.box.scrollTop = 0;
    this.box.focus({ preventScroll: true });
  }
}
