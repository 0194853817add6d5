"""Metre, grids, and the way between written ticks and seconds.

Conventions: 960 ticks per quarter note, tempo in quarter notes per minute, played times in float seconds.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TypeVar

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError, require_range

PPQ = 960
MIN_TEMPO_BPM, MAX_TEMPO_BPM = 20.0, 400.0
MAX_BARS = 512

GRID_TICKS = {"8": 480, "8T": 320, "16": 240, "16T": 160, "32": 120, "quint": 192}

# Of a new song, the usual one first; any other can be typed on the command line or comes with a file.
OFFERED_METRES = (
    "4/4", "2/4", "3/4", "5/4", "6/4", "7/4", "5/8", "6/8", "7/8", "9/8", "11/8", "12/8", "13/8", "15/8",
)  # fmt: skip
GRID_NAMES = {
    "8": "8ths", "8T": "8th triplets", "16": "16ths", "16T": "16th triplets", "32": "32nds", "quint": "quintuplets",
}  # fmt: skip

Number = TypeVar("Number", float, npt.NDArray[np.float64])


def ms_per_tick(tempo_bpm: float) -> float:
    """Milliseconds one tick lasts.

    Parameters
    ----------
    tempo_bpm
        Quarter notes a minute.

    Examples
    --------
    >>> ms_per_tick(125.0)  # a quarter of 480 ms in 960 ticks
    0.5
    """
    return 60_000.0 / (tempo_bpm * PPQ)


def ticks_to_seconds(ticks: Number, tempo_bpm: float) -> Number:
    """Ticks (any shape) to seconds at one tempo."""
    return ticks * (ms_per_tick(tempo_bpm) / 1000.0)


def seconds_to_ticks(seconds: Number, tempo_bpm: float) -> Number:
    """Seconds (any shape) to unrounded ticks at one tempo."""
    return seconds / (ms_per_tick(tempo_bpm) / 1000.0)


def check_tempo(tempo_bpm: float) -> float:
    """Return the tempo, or say that it does not fit.

    Parameters
    ----------
    tempo_bpm
        Quarter notes a minute, 20 to 400.

    Raises
    ------
    BadValueError
        Outside that range.

    Examples
    --------
    >>> check_tempo(104)
    104.0
    """
    require_range("The tempo", tempo_bpm, MIN_TEMPO_BPM, MAX_TEMPO_BPM, "bpm")
    return float(tempo_bpm)


@dataclass(frozen=True)
class Metre:
    """`beats` beats of one `unit`-th note, as in 4/4 or 6/8.

    Raises BadValueError unless beats is 1 to 32 and unit 2, 4, 8 or 16.
    """

    beats: int = 4
    unit: int = 4

    def __post_init__(self) -> None:
        require_range("Beats in a bar", self.beats, 1, 32)
        if self.unit not in (2, 4, 8, 16):
            raise BadValueError(f"A beat of 1/{self.unit} is not known; use 2, 4, 8 or 16 below the line.")

    @property
    def beat_ticks(self) -> int:
        return PPQ * 4 // self.unit

    @cached_property
    def bar_ticks(self) -> int:
        return self.beats * self.beat_ticks

    @cached_property
    def pulse_ticks(self) -> int:
        """Ticks of the beat one taps: a dotted one in 6/8, 9/8, 12/8 and 15/8."""
        return self.beat_ticks * 3 if self.compound else self.beat_ticks

    @property
    def compound(self) -> bool:
        return self.unit == 8 and self.beats % 3 == 0 and self.beats > 3

    def __str__(self) -> str:
        return f"{self.beats}/{self.unit}"


COMMON_TIME = Metre(4, 4)


def one_bar_metre(length_ticks: int, metre: Metre) -> Metre:
    """One bar as long as a loop that is no whole number of bars, in the same beats.

    Raises BadValueError where it is no whole number of beats either.

    >>> str(one_bar_metre(6 * 960, COMMON_TIME))
    '6/4'
    """
    beats = length_ticks // metre.beat_ticks
    if length_ticks % metre.beat_ticks or not 1 <= beats <= 32:
        raise BadValueError("This loop is no whole number of bars or beats: give the pattern a whole length first.")
    return Metre(beats, metre.unit)


def parse_metre(text: str) -> Metre:
    """Read a metre as people write it.

    Parameters
    ----------
    text
        Beats in a bar, a slash, and the note that is a beat.

    Raises
    ------
    BadValueError
        For anything else.

    Examples
    --------
    >>> parse_metre("6/8")
    Metre(beats=6, unit=8)
    >>> parse_metre("6/8").bar_ticks
    2880
    """
    try:
        beats, unit = (int(piece) for piece in text.split("/"))
    except ValueError:
        raise BadValueError(f"'{text[:20]}' is not a metre; write it like 4/4 or 6/8.") from None
    return Metre(beats, unit)


def place_name(tick: int, metre: Metre) -> str:
    """Name a place as one counts it: bar, beat and, off the beat, the part of the beat.

    Parameters
    ----------
    tick
        From the beginning of the pattern, 960 to a quarter note.
    metre
        Of the bars counted.

    Examples
    --------
    >>> four = Metre(4, 4)
    >>> [place_name(tick, four) for tick in (0, 240, 480, 3840)]
    ['1.1', '1.1 e', '1.1 &', '2.1']
    """
    bar, inside = divmod(tick, metre.bar_ticks)
    beat, rest = divmod(inside, metre.beat_ticks)
    name = f"{bar + 1}.{beat + 1}"
    return f"{name} {part_of_beat(rest, metre)}" if rest else name


def part_of_beat(rest_ticks: int, metre: Metre) -> str:
    """The counting syllable of a place inside a beat, or its share of the beat when it has none."""
    share = rest_ticks / metre.beat_ticks
    spoken = {0.25: "e", 0.5: "&", 0.75: "a"}
    if share in spoken:
        return spoken[share]
    thirds = round(share * 3)
    if abs(share * 3 - thirds) < 1e-9:
        return ("", "trip", "let")[thirds]
    return f"+{share:.3f}".rstrip("0")
