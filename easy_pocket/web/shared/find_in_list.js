// A field over a long list: what is typed leaves those of its items that have all of the words. The field is shown
// when there are more than twelve (lists.css).

export class FindInList {
  constructor() {
    document.addEventListener("input", (event) => event.target.matches?.("[data-find-in]") && narrow(event.target));
    document.addEventListener("keydown", (event) => event.target.matches?.("[data-find-in]") && this.key(event));
    // What was drawn anew is narrowed again.
    for (const name of ["htmx:afterSwap", "htmx:oobAfterSwap"]) document.body.addEventListener(name, () => fields().forEach(narrow));
  }

  /** @param {PageEvent} event */
  key(event) {
    const field = event.target;
    if (event.key === "ArrowDown" || event.key === "Enter") {
      event.preventDefault();
      const list = listOf(field);
      const first = /** @type {HTMLElement | undefined} */ (left(list)[0]);
      if (list?.tabIndex === 0) list.focus();
      else first?.focus();
    } else if (event.key === "Escape" && field.value) {
      event.stopPropagation();
      field.value = "";
      narrow(field);
    }
  }
}

const fields = () => /** @type {any[]} */ ([...document.querySelectorAll("[data-find-in]")]);

/**
 * @param {Piece} field
 * @returns {HTMLElement | null}
 */
const listOf = (field) => /** @type {HTMLElement | null} */ (field.closest(".find-in")?.nextElementSibling ?? null);

/** @param {HTMLElement | null} list */
const left = (list) => [...(list?.children ?? [])].filter((item) => !item.classList.contains("unfound"));

/** @param {Piece} field */
export function narrow(field) {
  const words = field.value.toLowerCase().split(/\s+/).filter(Boolean);
  const list = listOf(field);
  for (const item of list?.children ?? []) {
    const text = (item.textContent ?? "").toLowerCase();
    item.classList.toggle("unfound", !words.every((/** @type {string} */ word) => text.includes(word)));
  }
  const none = words.length > 0 && !left(list).length;
  field.setAttribute("aria-invalid", String(none));
}
