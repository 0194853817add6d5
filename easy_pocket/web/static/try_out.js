// Hearing a groove in the beat before it is chosen: the stack plays with it, nothing is kept.

export class TryOut {
  constructor(page) {
    this.page = page;
    this.now = null; // {id, scope}
  }

  async hear(id, scope = this.now?.scope ?? "stack") {
    this.now = { id, scope };
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const answer = await fetch(`/songs/${this.page.song.id}/grooves/${id}/playing?scope=${scope}`).catch(() => null);
    if (!answer?.ok || turn !== this.turn || !this.now) return;
    this.page.player.setStack(await answer.json());
  }

  // Back to the song as it is.
  end() {
    if (!this.now) return;
    this.now = null;
    this.turn += 1;
    this.page.player.setStack(this.page.playing);
  }
}

// A listbox of grooves: arrows step and try, Enter takes. `take(id)` and `leave()` say what follows.
export class GrooveList {
  constructor(tryOut, { scope, stepped = () => {}, take, leave = () => {} }) {
    Object.assign(this, { tryOut, scope, stepped, take, leave });
  }

  rows(box) {
    return [...box.querySelectorAll("[data-groove-id]")];
  }

  key(event, box) {
    const rows = this.rows(box);
    const at = rows.findIndex((row) => row.classList.contains("on"));
    const by = { ArrowDown: 1, ArrowUp: -1, Home: -rows.length, End: rows.length }[event.key];
    if (by && rows.length) this.show(box, rows[Math.max(0, Math.min(rows.length - 1, at + by))]);
    else if (event.key === "ArrowRight" && at >= 0) this.tryOut.hear(idOf(rows[at]), this.scope());
    else if (event.key === "Enter" && at >= 0) this.take(idOf(rows[at]));
    else if (event.key === "Escape") this.leave();
    else return false;
    return true;
  }

  show(box, row, heard = true) {
    for (const one of this.rows(box)) {
      one.classList.toggle("on", one === row);
      one.setAttribute("aria-selected", one === row);
    }
    row.scrollIntoView({ block: "nearest" });
    document.getElementById("spoken").textContent = row.textContent.trim().replace(/\s+/g, " ");
    if (heard) this.tryOut.hear(idOf(row), this.scope());
    this.stepped(idOf(row));
  }
}

export function idOf(row) {
  return Number(row.dataset.grooveId);
}
