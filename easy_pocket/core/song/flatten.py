"""The song written out: what every part plays from beginning to end, every hit in its place."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.song.arrangement import Arrangement, Span
from easy_pocket.core.song.collisions import resolve_collisions
from easy_pocket.core.song.hit_columns import HitColumns, merge_columns
from easy_pocket.core.song.joins import with_joins
from easy_pocket.core.song.part_hits import part_hits


@dataclass(frozen=True)
class Flat:
    """spans: each with the lines of the parts that have hits in it, ticks from the span's beginning."""

    song: Arrangement
    spans: tuple[tuple[Span, dict[int, HitColumns]], ...]

    def line(self, part: int) -> HitColumns:
        """What a part plays through the whole song, ticks from its beginning."""
        return merge_columns([line.at(line.tick + span.start_tick) for span, line in self.pieces(part)])

    def pieces(self, part: int) -> Iterator[tuple[Span, HitColumns]]:
        for span, lines in self.spans:
            if part in lines:
                yield span, lines[part]

    def pattern(self, part: int) -> Pattern:
        """The same as one pattern as long as the song."""
        return Pattern(self.song.length_ticks, self.line(part).hits(), self.song.metre)

    @cached_property
    def count(self) -> int:
        return sum(len(line) for _, lines in self.spans for line in lines.values())


def before_collisions(song: Arrangement) -> list[tuple[Span, dict[int, HitColumns]]]:
    """Every span with its lines, joins carried out, hits two parts share still there twice."""
    found = []
    before: Span | None = None
    same: dict[tuple[object, ...], HitColumns] = {}
    for span in song.spans:
        lines = {}
        for part in song.parts:
            key = (part.key, span.section.key, None if part.turning.restarts else span.start_tick)
            if key not in same:
                same[key] = part_hits(part, span, song.seed)
            lines[part.key] = same[key]
        joined = with_joins(song, span, lines, before)
        found.append((span, {key: line for key, line in joined.items() if len(line)}))
        before = span
    return found


def flatten(song: Arrangement) -> Flat:
    """Write a song out: every hit of every part where it is played, collisions resolved."""
    return Flat(song, tuple((span, resolve_collisions(song, lines)) for span, lines in before_collisions(song)))


def bar_numbers(flat: Flat) -> np.ndarray:
    """First ticks of all bars of the song, and its end: shape (bars + 1,)."""
    starts = [span.start_tick + np.arange(span.bars, dtype=np.int64) * span.metre.bar_ticks for span in flat.song.spans]
    return np.concatenate([*starts, [flat.song.length_ticks]]) if starts else np.zeros(1, dtype=np.int64)
