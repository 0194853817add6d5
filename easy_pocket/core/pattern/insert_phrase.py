"""Putting a short line into a pattern: again and again from a place to the end."""

from __future__ import annotations

from dataclasses import dataclass, replace

from easy_pocket.core.errors import require_range
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.voices import stand_in


@dataclass(frozen=True)
class InsertPhrase:
    """These hits, which last line_ticks, repeated from start_tick to the pattern's end.

    What the rows they are for have from there on goes; other rows stay.
    """

    name: str
    hits: tuple[Hit, ...]
    line_ticks: int
    start_tick: int = 0

    def applied(self, pattern: Pattern) -> Pattern:
        """Raises BadValueError for a line without length or a place outside the pattern."""
        require_range("The length of the line", self.line_ticks, 10, 64 * 3840, "ticks")
        require_range("The place to put it", self.start_tick, 0, pattern.length_ticks - 1, "ticks")
        voices = {hit.voice for hit in self.hits}
        kept = [hit for hit in pattern.hits if hit.voice not in voices or hit.tick < self.start_tick]
        starts = range(self.start_tick, pattern.length_ticks, self.line_ticks)
        put = [replace(hit, tick=start + hit.tick) for start in starts for hit in self.hits]
        return pattern.with_hits((*kept, *(hit for hit in put if hit.tick < pattern.length_ticks)))


def on_kit(hits: tuple[Hit, ...], voices: tuple[str, ...]) -> tuple[Hit, ...]:
    """The hits on the voices a kit has: what it lacks is played by what comes nearest, one hit in a place."""
    taken: dict[tuple[str, int], Hit] = {}
    for hit in hits:
        voice = stand_in(hit.voice, voices)
        taken.setdefault((voice, hit.tick), replace(hit, voice=voice))
    return tuple(taken.values())
