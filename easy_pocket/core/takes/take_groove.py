"""The groove of what was played in: where its hits lie in one bar, and how hard they were struck."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from easy_pocket.core.feel.lane_from_hits import lane_from_hits
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from easy_pocket.core.takes.sewing import SewnHit

SIXTEENTH = 240
FEWEST_HITS = 4


def take_groove(hits: Sequence[SewnHit], name: str, metre: Metre, tempo_bpm: float) -> GrooveTemplate | None:
    """Of what is sewn, in 16ths of one bar; None for fewer than four hits."""
    if len(hits) < FEWEST_HITS:
        return None
    slot = np.rint(np.array([one.hit.tick for one in hits]) / SIXTEENTH).astype(np.int64)
    offset_ms = np.array([one.time_ms for one in hits]) - slot * SIXTEENTH * ms_per_tick(tempo_bpm)
    strength = np.array([one.hit.velocity for one in hits]) / 127
    slots = metre.bar_ticks // SIXTEENTH
    lane = lane_from_hits(slot, offset_ms, strength, np.ones(len(hits), dtype=np.bool_), slots)
    return GrooveTemplate(name, tempo_bpm, slots, {"all": lane}, 1, metre)
