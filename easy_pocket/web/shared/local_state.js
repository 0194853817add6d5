// What is open and what is shown: states of the page alone, for Alpine.
let tabbed = false; // the last thing done was Tab
document.addEventListener("keydown", ({ key }) => (tabbed = key === "Tab"), true);
document.addEventListener("pointerdown", () => (tabbed = false), true);

const SENT_AWAY = "easy-pocket-first-lines";
const sentAway = () => (localStorage.getItem(SENT_AWAY) ?? "").split(" ");

// One line of each screen for somebody who sees it for the first time; sent away, it never comes back.
const firstRun = () => ({
  shown: false,
  /** @this {any} */
  init() {
    const away = sentAway();
    this.shown = !away.includes(this.$root.dataset.screen) && !away.includes("all") && this.$root.querySelector("span").textContent.trim() !== "";
  },
  /** @this {any} */
  sendAway() {
    localStorage.setItem(SENT_AWAY, [...new Set([...sentAway(), this.$root.dataset.screen])].filter(Boolean).join(" "));
    this.shown = false;
    document.getElementById("screen")?.focus();
  },
});

/** @type {Map<string, string>} */
const lastTab = new Map(); // by the tabs' name: another screen and back shows the same
// Tabs (_tabs.html): buttons with data-tab, panels with data-panel. Others hear of a change by the event "tab".
const tabs = () => ({
  shown: "",
  /** @this {any} */
  init() {
    this.shown = lastTab.get(this.$root.dataset.tabs) ?? this.$root.querySelector("[data-tab]").dataset.tab;
  },
  /** @this {any} */
  choose() {
    this.shown = this.tab();
    lastTab.set(this.$root.dataset.tabs, this.shown);
    this.$dispatch("tab", { of: this.$root.dataset.tabs, shown: this.shown });
  },
  /** @this {any} */
  chosen() {
    return this.shown === this.tab();
  },
  /** @this {any} */
  active() {
    return this.shown === this.tab() ? "is-active" : "";
  },
  /** @this {any} */
  tab() {
    return this.$el.closest("[data-tab]").dataset.tab;
  },
  /** @this {any} */
  visible() {
    return this.shown === this.$el.dataset.panel;
  },
});

document.addEventListener("alpine:init", () => {
  const opening = () => ({
    open: false,
    get closed() {
      return !this.open;
    },
    /** @this {any} */
    toggle() {
      this.open = !this.open;
      if (this.open) this.$nextTick(() => this.$el.closest("[x-data]")?.querySelector("input")?.select());
    },
    close() {
      this.open = false;
    },
  });
  window.Alpine.data("popover", () => ({
    ...opening(),
    /** @this {any} */
    active() {
      return this.open ? "is-active" : "";
    },
    /** @this {any} */
    init() {
      if (this.$root.dataset.stays !== undefined) return; // something is going on in it
      // Left by Tab it closes; a press elsewhere closes it by x-on:click.outside.
      this.$root.addEventListener("focusout", (/** @type {FocusEvent} */ event) => {
        if (tabbed && event.relatedTarget && !this.$root.contains(event.relatedTarget)) this.open = false;
      });
    },
  }));
  window.Alpine.data("renaming", opening);

  window.Alpine.data("firstRun", firstRun);
  window.Alpine.data("tabs", tabs);
});
