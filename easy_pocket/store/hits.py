"""Hits as they are kept: one JSON array of [voice, tick, velocity, own offset in ms] rows, followed where a hit has
them by the alternate sound it asks for and by what else sets it apart."""

from __future__ import annotations

import json
from collections.abc import Iterable
from operator import attrgetter
from typing import Any

from easy_pocket.core.articulation import PLAIN, articulation_from_doc, articulation_to_doc
from easy_pocket.core.pattern import Hit, Pattern


def hits_to_rows(hits: Iterable[Hit]) -> list[list[Any]]:
    return [_row(hit) for hit in sorted(hits, key=attrgetter("tick", "voice"))]


def _row(hit: Hit) -> list[Any]:
    row = [hit.voice, hit.tick, hit.velocity, hit.offset_ms]
    if hit.articulation is not PLAIN:
        return [*row, hit.alternate, articulation_to_doc(hit.articulation)]
    return [*row, hit.alternate] if hit.alternate else row


def rows_to_hits(rows: Iterable[list[Any]]) -> list[Hit]:
    return [_hit(*row) for row in rows]


def _hit(
    voice: str, tick: int, velocity: int, offset_ms: float, alternate: int = 0, doc: dict[str, Any] | None = None
) -> Hit:
    return Hit(voice, tick, velocity, offset_ms, alternate, articulation_from_doc(doc) if doc else PLAIN)


def hits_to_json(hits: Iterable[Hit]) -> str:
    return json.dumps(hits_to_rows(hits), separators=(",", ":"))


def pattern_to_json(pattern: Pattern) -> str:
    """The hits of a pattern, which are in order already."""
    return json.dumps([_row(hit) for hit in pattern.hits], separators=(",", ":"))


def locks_of(pattern: Pattern) -> dict[str, Any]:
    """What is locked besides single hits, as it is kept."""
    locks = {"voices": sorted(pattern.locked_voices), "places": sorted(pattern.locked_places)}
    return {name: values for name, values in locks.items() if values}


def hits_from_json(text: str) -> list[Hit]:
    return rows_to_hits(json.loads(text))
