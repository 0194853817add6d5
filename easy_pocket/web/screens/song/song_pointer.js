// The pointer on the plan: sections and cells that are dragged, bars that are played round and round.
const DRAG_PX = 5;

export class SongPointer {
  /** @param {any} screen the Song screen */
  constructor(screen) {
    this.screen = screen;
  }

  /**
   * Drag a cell along its row to copy it, a head along the others to move its section.
   * @param {PageEvent} event
   */
  pointerDown(event) {
    if (!this.screen.box || !this.screen.data || event.button !== 0) return;
    if (event.target.closest?.("[data-energy]")) this.drawSpan(event);
    const from = event.target.closest?.("[data-cell], [data-head]");
    if (!from || !this.screen.grid.contains(from)) return;
    const start = { x: event.clientX, y: event.clientY };
    /** @type {any[]} */
    let over = [];
    const move = (/** @type {any} */ now) => {
      if (!this.screen.dragging && Math.hypot(now.clientX - start.x, now.clientY - start.y) < DRAG_PX) return;
      this.screen.dragging = true;
      for (const one of over) one.classList.remove("copied", "before", "after");
      over = from.dataset.cell ? this.cellsBetween(from, now.clientX) : this.headAt(from, now.clientX);
    };
    const up = () => {
      document.removeEventListener("pointermove", move);
      for (const one of over) one.classList.remove("copied", "before", "after");
      if (!this.screen.dragging) return;
      this.screen.dragging = false;
      this.screen.dragged = true; // the click that ends the drag chooses nothing
      setTimeout(() => (this.screen.dragged = false), 0);
      if (!over.length) return;
      if (from.dataset.cell) {
        const [section, part] = from.dataset.cell.split(" ").map(Number);
        this.screen.push({ kind: "cell_copy", part_id: part, from_id: section, to_ids: over.map((one) => Number(one.dataset.cell.split(" ")[0])) }, from);
      } else this.screen.push({ kind: "section_move", section_id: Number(from.dataset.head), to: this.screen.dropAt }, from);
    };
    document.addEventListener("pointermove", move);
    document.addEventListener("pointerup", up, { once: true });
  }

  /**
   * Draw over the energy to go round a span of bars.
   * @param {PageEvent} event
   */
  drawSpan(event) {
    const begin = this.barAt(event.clientX);
    const start = event.clientX;
    const move = (/** @type {any} */ now) => {
      if (!this.screen.dragging && Math.abs(now.clientX - start) < DRAG_PX) return;
      this.screen.dragging = true;
      const end = this.barAt(now.clientX);
      this.screen.span = [Math.min(begin, end), Math.max(begin, end)];
      this.screen.showSpan();
    };
    const up = () => {
      document.removeEventListener("pointermove", move);
      if (!this.screen.dragging) return;
      this.screen.dragging = false;
      this.screen.dragged = true;
      setTimeout(() => (this.screen.dragged = false), 0);
      this.screen.page.plan.loopBars(.../** @type {[number, number]} */ (this.screen.span));
    };
    document.addEventListener("pointermove", move);
    document.addEventListener("pointerup", up, { once: true });
  }

  /**
   * The bar of the song (from 1) under a place of the screen.
   * @param {number} x
   */
  barAt(x) {
    for (const section of this.screen.sections) {
      const box = this.screen.drawn.get(`energy ${section.id}`).element.getBoundingClientRect();
      const all = section.bars * section.repeats;
      if (x < box.right || section === this.screen.sections.at(-1)) return section.first_bar + Math.max(0, Math.min(all - 1, Math.floor(((x - box.left) / box.width) * all)));
    }
    return 1;
  }

  /**
   * @param {any} from
   * @param {number} x
   */
  cellsBetween(from, x) {
    const [section, part] = from.dataset.cell.split(" ").map(Number);
    const begin = this.screen.sections.findIndex((/** @type {any} */ one) => one.id === section);
    const columns = this.screen.sections.map((/** @type {any} */ one) => this.screen.drawn.get(`cell ${one.id} ${part}`).element);
    let end = columns.findIndex((/** @type {any} */ one) => x < one.getBoundingClientRect().right);
    if (end < 0) end = columns.length - 1;
    const chosen = columns.filter((/** @type {any} */ _, /** @type {number} */ number) => number !== begin && number >= Math.min(begin, end) && number <= Math.max(begin, end));
    for (const one of chosen) one.classList.add("copied");
    return chosen;
  }

  /**
   * @param {any} from
   * @param {number} x
   */
  headAt(from, x) {
    const heads = this.screen.sections.map((/** @type {any} */ one) => this.screen.drawn.get(`head ${one.id}`).element);
    const own = heads.indexOf(from);
    let at = heads.findIndex((/** @type {any} */ one) => x < one.getBoundingClientRect().left + one.offsetWidth / 2);
    if (at < 0) at = heads.length;
    this.screen.dropAt = at > own ? at - 1 : at;
    if (this.screen.dropAt === own) return [];
    const mark = heads[Math.min(at, heads.length - 1)];
    mark.classList.add(at < heads.length ? "before" : "after");
    return [mark];
  }
}
