"""Sections: how long, how often, what each part plays in them, and how they end."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.feel.feel import STRAIGHT, Feel
from easy_pocket.core.pattern.timebase import MAX_BARS, Metre, check_tempo
from easy_pocket.core.pattern.voices import check_voice
from easy_pocket.core.sound.levels import MAX_LEVEL_DB, MIN_LEVEL_DB

ORDER = 0  # in place of a pattern: the part's own order of them
MAX_REPEATS = 64
MOST_JOINS = 16
MAX_JOIN_BEATS = 32
JOIN_KINDS = {
    "fill": "fill", "drop": "drop-out", "crash": "crash on the next one", "swell": "reverse swell", "pickup": "pick-up",
}  # fmt: skip


@dataclass(frozen=True)
class Cell:
    """What a part plays in a section.

    pattern: its key, or ORDER. start_ticks: where in it the section begins. written: it plays exactly what is written
    from there on, whatever the part's rules (a song written out flat). feel: settings that here stand before the
    part's. stamp: as of a part, for the feel.
    """

    pattern: int = ORDER
    start_ticks: int = 0
    muted: frozenset[str] = frozenset()
    level_db: float = 0.0
    feel: Feel = STRAIGHT
    written: bool = False
    stamp: str = ""

    def __post_init__(self) -> None:
        require_range("The level of a cell", self.level_db, MIN_LEVEL_DB, MAX_LEVEL_DB, "dB")
        require_range("The place a cell begins at", self.start_ticks, 0, MAX_BARS * 3840, "ticks")


@dataclass(frozen=True)
class Join:
    """How a section ends.

    kind: "fill" puts the part's pattern in place of its line, so that both end together; "pickup" lays it on top;
    "drop" silences all parts but those to keep for so many beats; "crash" is a hit of the voice on the next one;
    "swell" is the voice played backwards over so many beats, its attack gap_ms before the boundary, let go over
    fade_ms. last_only: not at the end of every repeat. Raises BadValueError for what is out of range.
    """

    kind: str
    part: int = 0
    pattern: int = 0
    voice: str = ""
    beats: float = 1.0
    velocity: int = 112
    gap_ms: float = 0.0
    fade_ms: float = 0.0
    keep: frozenset[int] = frozenset()
    last_only: bool = False

    def __post_init__(self) -> None:
        if self.kind not in JOIN_KINDS:
            raise BadValueError(f"There is no join '{self.kind[:20]}'; there are {', '.join(JOIN_KINDS)}.")
        require_range("The beats of a join", self.beats, 0.25, MAX_JOIN_BEATS, "beats")
        require_range("The velocity of a join", self.velocity, 1, 127)
        require_range("The gap of a swell", self.gap_ms, 0, 1000, "ms")
        require_range("The fade of a swell", self.fade_ms, 0, 1000, "ms")
        if self.kind in ("crash", "swell"):
            check_voice(self.voice)


@dataclass(frozen=True)
class Section:
    """cells: by part; a part without one rests. tempo_bpm and metre None: the song's."""

    key: int
    name: str
    bars: int
    repeats: int = 1
    tempo_bpm: float | None = None
    metre: Metre | None = None
    cells: Mapping[int, Cell] = field(default_factory=dict)
    joins: tuple[Join, ...] = ()

    def __post_init__(self) -> None:
        require_range("The bars of a section", self.bars, 1, MAX_BARS)
        require_range("The repeats of a section", self.repeats, 1, MAX_REPEATS)
        if len(self.joins) > MOST_JOINS:
            raise BadValueError(f"{self.name} has {len(self.joins)} joins; {MOST_JOINS} fit.")
        if self.tempo_bpm is not None:
            check_tempo(self.tempo_bpm)
