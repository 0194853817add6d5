"""A part: one independent line with patterns, a cycle, a feel and rules of its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import MAX_BARS
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.sound.levels import MAX_LEVEL_DB, MIN_LEVEL_DB

MOST_MARKS = 64
MOST_IN_ORDER = 64
MIN_CYCLE_TICKS = 120


@dataclass(frozen=True)
class Turning:
    """How a part goes round.

    cycle_ticks: after so long its pattern begins again (cut off, or followed by rest), None as long as the pattern.
    shift_ticks: so long after the beginning the first turn begins. rotation_ticks: what is at this place comes first.
    restarts: with every section (and every repeat of it); else it runs free from the start of the song.
    bars: marks 0 and 1, over and over, for the bars it plays ("01" every second, "0001" the last of four); "" is all.
    order: patterns turn by turn (A A A B) where a section asks for the order. change_percent: how many turns are played
    as a variation, drawn by seed. Raises BadValueError outside these ranges.
    """

    cycle_ticks: int | None = None
    shift_ticks: int = 0
    rotation_ticks: int = 0
    restarts: bool = True
    bars: str = ""
    order: tuple[int, ...] = ()
    change_percent: float = 0.0
    seed: int = 1

    def __post_init__(self) -> None:
        longest = MAX_BARS * 3840
        if self.cycle_ticks is not None:
            require_range("The length of a cycle", self.cycle_ticks, MIN_CYCLE_TICKS, longest, "ticks")
        require_range("The start shift", self.shift_ticks, 0, longest, "ticks")
        require_range("The rotation", self.rotation_ticks, 0, longest, "ticks")
        require_range("The change rate", self.change_percent, 0, 100, "%")
        require_range("The seed", self.seed, 0, 2**31)
        if len(self.bars) > MOST_MARKS or set(self.bars) - {"0", "1"}:
            raise BadValueError(f"The bars a part plays are up to {MOST_MARKS} marks 0 and 1, as in 0001.")
        if self.bars and "1" not in self.bars:
            raise BadValueError("A part that plays in no bar is never heard: mark one bar, or mute the part.")
        if len(self.order) > MOST_IN_ORDER:
            raise BadValueError(f"An order of {len(self.order)} patterns is too long; {MOST_IN_ORDER} fit.")


@dataclass(frozen=True)
class Part:
    """key: what tells it from others.

    player: what its looseness is drawn by, besides the seed (its key when None). patterns: by key. kit: the key of its
    kit. stamp: told by whoever keeps the part, the same as long as its feel is the same; empty is not known. fills:
    whether fills and pick-ups of joins reach it.
    """

    key: int
    name: str
    patterns: Mapping[int, Pattern]
    kit: str = ""
    turning: Turning = Turning()
    feel: FeelScopes = field(default_factory=FeelScopes)
    mix: Mapping[str, VoiceMix] = field(default_factory=dict)
    level_db: float = 0.0
    mute: bool = False
    solo: bool = False
    stamp: str = ""
    fills: bool = True
    player: int | None = None

    @property
    def drawn_by(self) -> int:
        return self.key if self.player is None else self.player

    def __post_init__(self) -> None:
        require_range("The level of a part", self.level_db, MIN_LEVEL_DB, MAX_LEVEL_DB, "dB")


def audible_parts(parts: tuple[Part, ...]) -> set[int]:
    """Keys of the parts that sound: the soloed ones if any is, else all that are not muted."""
    soloed = {part.key for part in parts if part.solo}
    return soloed or {part.key for part in parts if not part.mute}
