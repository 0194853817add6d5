"""Hits as stored: one JSON object of columns - the voices, and for every hit its voice, tick, velocity and own offset
in ms. Only where there are any: "alternate" sounds, and "dressed", articulations by the number of their hit.

The undo log stores the few hits of a step as rows of the same values. Old databases store whole patterns that way, too.
"""

from __future__ import annotations

from collections.abc import Iterable
from operator import attrgetter
from typing import Any

import orjson

from easy_pocket.core.pattern.articulation import PLAIN, articulation_from_doc, articulation_to_doc
from easy_pocket.core.pattern.pattern import Hit, Pattern


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
    voice: str, tick: int, velocity: int, offset_ms: float, alternate: int = 0, doc: dict[str, object] | None = None
) -> Hit:
    return Hit(voice, tick, velocity, offset_ms, alternate, articulation_from_doc(doc) if doc else PLAIN)


def hits_to_json(hits: Iterable[Hit]) -> str:
    ordered = sorted(hits, key=attrgetter("tick", "voice"))
    return pattern_to_json(Pattern(max((hit.tick for hit in ordered), default=0) + 1, tuple(ordered)))


def pattern_to_json(pattern: Pattern) -> str:
    """The hits of a pattern, which are in order already."""
    columns = pattern.arrays
    doc: dict[str, object] = {
        "voices": columns.voices,
        "voice": columns.voice_index,
        "tick": columns.tick,
        "velocity": columns.velocity,
        "offset_ms": columns.offset_ms,
    }
    if columns.alternate.any():
        doc["alternate"] = columns.alternate
    if columns.articulated:
        doc["dressed"] = {str(index): articulation_to_doc(articulation) for index, articulation in columns.articulated}
    return orjson.dumps(doc, option=orjson.OPT_SERIALIZE_NUMPY).decode()


def locks_of(pattern: Pattern) -> dict[str, object]:
    """What is locked besides single hits, as it is kept."""
    locks = {"voices": sorted(pattern.locked_voices), "places": sorted(pattern.locked_places)}
    return {name: values for name, values in locks.items() if values}


def hits_from_json(text: str) -> list[Hit]:
    doc = orjson.loads(text)
    if isinstance(doc, list):
        return rows_to_hits(doc)
    voices = [doc["voices"][index] for index in doc["voice"]]
    alternate = doc.get("alternate") or [0] * len(voices)
    articulated = [PLAIN] * len(voices)
    for index, articulation in doc.get("dressed", {}).items():
        articulated[int(index)] = articulation_from_doc(articulation)
    return list(map(Hit, voices, doc["tick"], doc["velocity"], doc["offset_ms"], alternate, articulated))
