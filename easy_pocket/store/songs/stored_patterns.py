"""Patterns out of their rows; one that was read or written lately is not parsed again."""

from __future__ import annotations

import json

from easy_pocket.caches import ByteCache
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.store.hits_json import hits_from_json
from easy_pocket.store.schema.tables import PatternRow, SongRow

_patterns: ByteCache[Pattern] = ByteCache("patterns", 128 << 20, lambda pattern: 4_000 + 500 * len(pattern.hits))


def pattern_of(song: SongRow, row: PatternRow) -> Pattern:
    """The pattern a row holds, in the metre of its song."""
    known = _patterns.find(_key(song, row))
    if known is None:
        locks = row.locks or {}
        known = Pattern(
            row.length_ticks,
            tuple(hits_from_json(row.hits)),
            Metre(song.metre_beats, song.metre_unit),
            frozenset(locks.get("voices", ())),
            frozenset(locks.get("places", ())),
        )
        cache_pattern(song, row, known)
    return known


def _key(song: SongRow, row: PatternRow) -> tuple[str, int, int, int, str]:
    return row.hits, row.length_ticks, song.metre_beats, song.metre_unit, json.dumps(row.locks or {})


def cache_pattern(song: SongRow, row: PatternRow, pattern: Pattern) -> None:
    """What the row holds now is this pattern."""
    _patterns.put(_key(song, row), pattern)
