"""What the Song's script draws."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypedDict

from easy_pocket.web.shared.shapes import Column


class Seen(TypedDict):
    """Ids of what is looked at."""

    part: int
    pattern: int
    section: int


class Energy(TypedDict):
    """By bar of the song: total 0-100 of the largest, hits a beat, level and brightness 0-1."""

    total: list[int]
    density: Column
    level: Column
    brightness: Column


class CollisionRow(TypedDict):
    """Two parts that hit the same voice at the same time, and what is done about it."""

    part: int
    other: int
    voice: str
    choice: str
    words: str


class Section(TypedDict):
    """own: names of what a varied section has of its own. joins: what leads over to the next. promise: a mark it does
    not keep, in words."""

    id: int
    name: str
    bars: int
    repeats: int
    tempo_bpm: float | None
    metre: str | None
    first_bar: int
    notes: str
    mark: str
    parent: int | None
    parent_name: str
    own: list[str]
    joins: list[dict[str, object]]
    join_words: list[str]
    promise: str


class Part(TypedDict):
    """patterns: id, name and ticks of each. voices, crashes: voice and name."""

    id: int
    name: str
    kit: str
    kit_name: str
    words: str
    said: dict[str, Any]
    patterns: list[tuple[int, str, int]]
    voices: list[tuple[str, str]]
    crashes: list[tuple[str, str]]
    muted: list[str]
    cycle_ticks: int | None
    step_ticks: int
    start_shift_ticks: int
    rotation_ticks: int
    restarts: bool
    bars: str
    pattern_order: Sequence[int]
    change_percent: float
    seed: int
    fills: bool
    level_db: float
    mute: bool
    solo: bool


class Rest(TypedDict):
    """A cell in which the part rests."""

    rest: bool
    own: bool
    strokes: str


class Cell(Rest, total=False):
    """pattern: its id, or "order". strokes: a picture of loudness 0-9 of so many equal stretches."""

    pattern: int | str
    name: str
    muted: list[str]
    level_db: float
    feel: dict[str, Any]


class SongLoop(TypedDict):
    id: int
    name: str
    sections: list[int]
    muted: bool
    level_db: float
    from_bar: int
    to_bar: int


class SongData(TypedDict):
    """written: every hit stands where it is played. cycles: name, shift and ticks of each part that turns; meet: ticks
    at which they begin together. grids: words by ticks."""

    seen: Seen
    metre: str
    tempo_bpm: float
    bars: int
    length_s: float
    written: bool
    sections: list[Section]
    parts: list[Part]
    cells: dict[int, dict[int, Cell]]
    loops: list[SongLoop]
    energy: Energy
    cycles: list[tuple[str, int, int]]
    meet: list[int]
    bar: int
    together: str
    collisions: list[CollisionRow]
    kits: dict[str, str]
    joins: dict[str, str]
    grids: dict[str, str]
    free_loops: list[tuple[int, str]]
