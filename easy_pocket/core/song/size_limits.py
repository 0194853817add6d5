"""How much a song may hold: short cycles of full patterns over many bars would fill any memory."""

from __future__ import annotations

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.part import Part

MOST_SONG_HITS = 1_000_000


def most_hits(song: Arrangement, part: Part) -> int:
    """More hits than a part can play in the song: its fullest turn, over and over in every section it plays in."""
    ticks = sum(span.ticks for span in song.spans if part.key in span.section.cells)
    fullest = 0.0
    for pattern in part.patterns.values():
        cycle = part.turning.cycle_ticks or pattern.length_ticks
        turns = ticks / cycle + len(song.spans)
        inside = int((pattern.arrays.tick < cycle).sum())
        fullest = max(fullest, turns * inside)
    return round(fullest)


def check_size(song: Arrangement) -> None:
    """Raises EditRefusedError, naming the part that plays most, when the song could hold more than a million hits."""
    counts = {part.name: most_hits(song, part) for part in song.parts}
    if sum(counts.values()) > MOST_SONG_HITS:
        name = max(counts, key=lambda one: counts[one])
        raise EditRefusedError(
            f"The song would play up to {sum(counts.values()):,} hits, {counts[name]:,} of them in {name}; "
            f"{MOST_SONG_HITS:,} fit: give it a longer cycle, fewer bars, or thinner patterns."
        )
