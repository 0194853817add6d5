"""What tightening would do, as the page draws it over the rails."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.feel.tighten import Tightening
from easy_pocket.core.pattern.timebase import GRID_NAMES, GRID_TICKS
from easy_pocket.web.screens.bench.shapes import Moves, Tightened


def tighten_doc(done: Tightening) -> Tightened:
    """Per voice the ticks of hits that move, by how many ms, and how far they were from their target and then are."""
    hits = done.before
    by_ms = done.to_ms - done.from_ms
    moves: dict[str, Moves] = {}
    for index, voice in enumerate(hits.voices):
        mine = np.flatnonzero((hits.voice_index == index) & done.moved)
        if len(mine):
            moves[voice] = {
                "tick": hits.tick[mine],
                "by": np.round(by_ms[mine], 2),
                "was": np.round((done.from_ms - done.target_ms)[mine], 2),
                "is": np.round((done.to_ms - done.target_ms)[mine], 2),
            }
    was, now = done.from_ms - done.target_ms, done.to_ms - done.target_ms
    return {
        "moves": moves,
        "count": int(done.moved.sum()),
        "hits": len(done.moved),
        "mean_was": round(float(np.abs(was).mean()), 2),
        "mean_is": round(float(np.abs(now).mean()), 2),
        "warning": done.warning(),
        "proposed": done.proposed_grid,
        "proposed_name": GRID_NAMES[done.proposed_grid] if done.proposed_grid else None,
        "proposed_ticks": GRID_TICKS[done.proposed_grid] if done.proposed_grid else None,
    }
