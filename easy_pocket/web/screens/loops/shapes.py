"""What the Loops' script draws."""

from __future__ import annotations

from typing import TypedDict

from easy_pocket.web.shared.shapes import Column


class HitGroup(TypedDict):
    """Hits of one sound: seconds in the file, strength 0-1, and how sure each belongs to it, 0-1."""

    name: str
    voice: str
    voice_name: str
    glyph: str
    times: Column
    strength: Column
    certainty: list[float]


class HitGroups(TypedDict):
    """words: what they were told apart by, where that is not what drums they are."""

    groups: list[HitGroup]
    unsure: int
    words: str


class GapRow(TypedDict):
    """Of one voice against the loop, in ms: positive is later than the loop."""

    voice: str
    name: str
    pairs: int
    mean: float
    size: float
    gaps: Column


class WorstGap(TypedDict):
    """A pair that is far apart: where, by how many ms, and when each sounds."""

    voice: str
    tick: int
    words: str
    gap: float
    stack_s: float
    loop_s: float
    heard_s: float
    heard_gap_s: float


class Against(TypedDict):
    """The stack against the loop; then: the mean size of the gap after sitting in. stack, would, loop: seconds and
    loudness of each hit."""

    revision: int
    pairs: int
    alone: int
    size: float | None
    then: float | None
    moved: int
    led: int
    hits: int
    rows: list[GapRow]
    worst: list[WorstGap]
    length_s: float
    stack: list[list[float]]
    would: list[list[float]]
    loop: list[list[float]]
