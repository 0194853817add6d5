"""The backbeat of a pattern: which voice has it, and its hits."""

from __future__ import annotations

from easy_pocket.core.pattern.pattern import Hit, Pattern

LOUD = 90  # from here on a hit of snare, clap or rim counts
BACKBEATS = ("snare", "clap", "rim")


def backbeat_voice(pattern: Pattern) -> str | None:
    """The voice that has the backbeat: the one of snare, clap and rim with the most loud hits."""
    counts = {v: sum(h.voice == v and h.velocity >= LOUD for h in pattern.hits) for v in BACKBEATS}
    best = max(counts, key=lambda voice: counts[voice])
    return best if counts[best] else None


def backbeat(pattern: Pattern) -> list[Hit]:
    """Its loud hits, on a beat."""
    voice, metre = backbeat_voice(pattern), pattern.metre
    return [h for h in pattern.hits if h.voice == voice and h.velocity >= LOUD and h.tick % metre.beat_ticks == 0]
