"""What an idea is made for: the pattern, the kit it is played on, the tempo, and which of its beats are meant."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.ideas.distance import density
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import Metre, place_name
from easy_pocket.core.pattern.voices import ROLES

MAX_SEED = 999_999_999
TRIPLETS = 0.25  # of the hits off the beat, from which on a beat counts as one of triplets
SWUNG_PERCENT = 54.0  # and from which swing on it counts as swung


@dataclass(frozen=True)
class IdeaContext:
    """The pattern as it is, the voices that can be played (in the kit's order), and how it is felt."""

    pattern: Pattern
    voices: tuple[str, ...]
    tempo_bpm: float
    swing_percent: float = 50.0
    swing_unit: int = 16

    @property
    def metre(self) -> Metre:
        return self.pattern.metre

    @cached_property
    def in_triplets(self) -> bool:
        """Whether the beat lives on triplets: by what is written, or by swung 8ths."""
        pulse = self.metre.pulse_ticks
        off = [hit.tick % pulse for hit in self.pattern.hits if hit.tick % pulse]
        thirds = sum(tick % 160 == 0 and tick % 240 != 0 for tick in off)
        written = not self.metre.compound and bool(off) and thirds >= TRIPLETS * len(off)
        return written or (self.swing_unit == 8 and self.swing_percent > SWUNG_PERCENT and not thirds)

    @property
    def swung(self) -> bool:
        return self.swing_percent > SWUNG_PERCENT

    def first(self, *wanted: str) -> str | None:
        """The first of these voices that can be played."""
        return next((voice for voice in wanted if voice in self.voices), None)

    def beat_density(self, begin: int) -> float:
        """Hits a beat of the bar before a place (round the pattern's start), of what is there when that is silent."""
        bar = self.metre.bar_ticks
        length = self.pattern.length_ticks
        if begin >= bar:
            return density(self.pattern, begin - bar, begin)
        if length > bar:
            return density(self.pattern, 0, length)
        return density(self.pattern, 0, begin) if begin else density(self.pattern, 0, length)


def usual_beats(metre: Metre) -> int:
    """Say how long a fill is when nobody says: half a bar, rounded up.

    Parameters
    ----------
    metre
        Of the pattern.

    Examples
    --------
    >>> usual_beats(Metre(4, 4)), usual_beats(Metre(3, 4))
    (2, 2)
    """
    return -(-(metre.bar_ticks // metre.pulse_ticks) // 2)


def window(scene: IdeaContext, beats: float | None = None, end_tick: int | None = None) -> tuple[int, int]:
    """Ticks from and up to which a fill lies.

    So many beats (as one counts them) before end_tick, which is the end of the pattern when None. beats None: half
    a bar.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    beats
        Length in beats as one counts them; None for half a bar.
    end_tick
        Tick at which it ends; None for the end of the pattern.

    Returns
    -------
    tuple[int, int]
        First tick, and the tick at which it ends.

    Raises
    ------
    EditRefusedError
        When it does not fit the pattern.
    """
    metre, pattern = scene.metre, scene.pattern
    end = pattern.length_ticks if end_tick is None else end_tick
    if beats is None:
        beats = usual_beats(metre)
    require_range("The length of a fill", beats, 1, max(2 * metre.bar_ticks / metre.pulse_ticks, 1), "beats")
    if not 0 < end <= pattern.length_ticks:
        raise EditRefusedError(
            f"A fill cannot end at {place_name(max(end, 0), metre)}: the pattern has {pattern.bars} "
            f"bar{'s' if pattern.bars != 1 else ''}. Choose a bar inside it."
        )
    ticks = round(beats * metre.pulse_ticks)
    if ticks > end:
        raise EditRefusedError(
            f"A fill of {beats:g} beats does not fit before {place_name(end, metre)}: "
            f"{end / metre.pulse_ticks:g} beats are there. Choose a shorter fill, or make the pattern longer (d)."
        )
    return end - ticks, end


def check_voices(voices: tuple[str, ...]) -> tuple[str, ...]:
    """The voices in the order of kits; raises BadValueError for one there is none of, or none at all."""
    unknown = next((voice for voice in voices if voice not in ROLES), None)
    if unknown is not None:
        raise BadValueError(f"There is no voice '{unknown[:30]}'.")
    if not voices:
        raise BadValueError("No voice can be played here: add a rail, or choose a kit that has sounds.")
    return voices
