"""What the Bench's script draws and lists."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NotRequired, TypedDict

from easy_pocket.core.pattern.articulation import StoredArticulation
from easy_pocket.web.shared.shapes import Column, Playing


class Articulated(StoredArticulation):
    """What sets a hit apart: in words, as strokes to draw (ms from it, velocity), and as it is stored."""

    words: str
    drawn: list[list[float]]


class Lean(TypedDict):
    """What the feel makes of a voice's hits, a row each: offset in ms, played velocity, and of every stage that moves
    one of them its ms (amounts) and velocity steps (accents). silent: rows that do not sound."""

    silent: Column
    played: Column
    offset: Column
    amounts: dict[str, Column]
    accents: dict[str, Column]


class HitColumns(Lean):
    """A voice's hits, a row each. asked and articulated hold by row the few that ask for another sound or are not
    plain."""

    tick: Column
    velocity: Column
    own: Column
    asked: NotRequired[dict[int, int]]
    articulated: NotRequired[dict[int, Articulated]]


class OtherPart(TypedDict):
    """Another part's hits by voice, as name, ticks, velocities and offsets in ms; seams: where its turns begin. cycle:
    ticks after which the same written places come again, 0 where it cannot be written in by place; why not."""

    part: int
    step: int
    cycle: int
    why: str
    voices: list[tuple[str, Column, Column, Column]]
    seams: Column


class InSection(TypedDict):
    """Where the section begins in the pattern, how long a turn is (ticks), and whether the section plays it at all."""

    start: int
    cycle: int
    plays: bool


class RailFacts(InSection):
    """What the rails are drawn by: ticks of the pattern, its grids, bars and beats, what is locked, names by voice."""

    length: int
    step: int
    steps: Mapping[str, int]
    bar: int
    beat: int
    beats: int
    compound: bool
    msPerTick: float
    lockedVoices: list[str]
    lockedPlaces: list[int]
    names: dict[str, str]


class WholeRailFacts(RailFacts):
    others: list[OtherPart]
    layers: dict[int, str]


class RailData(TypedDict):
    """whole: of every rail, not only of some."""

    whole: bool
    facts: WholeRailFacts
    hits: dict[str, HitColumns]


class FeelTried(TypedDict):
    """What a slider that is being dragged would do."""

    revision: int
    note: str
    leans: dict[str, Lean]
    pocket: str | None
    playing: Playing


# Of hits that tightening moves: by how many ms, and how far they were from their target ("was") and then are ("is").
Moves = TypedDict("Moves", {"tick": Column, "by": Column, "was": Column, "is": Column})


class Tightened(TypedDict):
    moves: dict[str, Moves]
    count: int
    hits: int
    mean_was: float
    mean_is: float
    warning: str | None
    proposed: str | None
    proposed_name: str | None
    proposed_ticks: int | None
    revision: NotRequired[int]


class ShelfLine(TypedDict):
    """A short line; picture: a stroke for each hit as share across, row from the top, share of full velocity.

    feel: where it is not straight; tempo_bpm: the slowest and fastest it is for, empty for any.
    """

    key: str
    name: str
    group: str
    metre: str
    feel: str
    tempo_bpm: list[int]
    own: bool
    bars: float
    voices: list[str]
    picture: list[list[float]]


class ShelfLines(TypedDict):
    lines: list[ShelfLine]
    kept: NotRequired[str]


class Step(TypedDict):
    """One step of the song's history."""

    id: int
    words: str
    undone: bool


class Steps(TypedDict):
    changes: list[Step]


class Snapshot(TypedDict):
    id: int
    name: str


class Snapshots(TypedDict):
    snapshots: list[Snapshot]
    kept: NotRequired[int]


class Difference(TypedDict):
    kind: str
    voice: str
    tick: int


class Compared(TypedDict):
    """Two versions as they play, and what differs."""

    one: Playing
    other: Playing
    marks: list[Difference]
    words: list[str]
    count: int
