// Small open-and-close states, for Alpine.
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
  window.Alpine.data("popover", opening);
  window.Alpine.data("renaming", opening);
});
