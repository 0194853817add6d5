"""One way to read a loop: tempo, metre, bars, grid, and where its lines lie."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import require_range
from easy_pocket.core.listen.beat_tracking import line_times, places_at
from easy_pocket.core.pattern.timebase import Metre

Floats = npt.NDArray[np.float64]


USUAL_BPM = 112.0


@dataclass(frozen=True)
class Grid:
    """Slots in a beat as one counts it (a dotted beat in 6/8) and where the second of each pair falls, in percent."""

    per_beat: int
    swing_percent: float = 50.0


@dataclass(frozen=True)
class Reading:
    """One way to read a loop. tempo_bpm counts quarter notes; bar_one_s is the grid line of the first downbeat."""

    tempo_bpm: float
    metre: Metre
    bars: int
    bar_one_s: float
    grid: Grid
    fit: float
    score: float
    confidence: float = 0.0
    trimmed: bool = True
    bar_lines_s: tuple[float, ...] = ()

    @property
    def drifts(self) -> bool:
        """Whether the tempo moves; the bar lines then say where each bar begins, and tempo_bpm is the mean."""
        return bool(self.bar_lines_s)

    def slot_at(self, times_s: Floats) -> Floats:
        """Places on the straight grid, in slots from bar one, of times in seconds."""
        if self.drifts:
            return places_at(np.asarray(self.bar_lines_s), times_s) * self.slots_per_bar
        return (times_s - self.bar_one_s) / self.slot_s

    def time_at(self, slots: npt.NDArray[np.floating[Any] | np.integer[Any]]) -> Floats:
        """Times in seconds of places on the straight grid, given in slots from bar one."""
        if self.drifts:
            return line_times(np.asarray(self.bar_lines_s), slots / self.slots_per_bar)
        return np.asarray(self.bar_one_s + slots * self.slot_s, dtype=np.float64)

    def nearest_places(self, slots: Floats) -> Floats:
        """Of places in slots, the nearest places where this grid is played: whole slots, the second of a pair swung."""
        late = (self.grid.swing_percent - 50.0) / 50.0
        even, odd = 2 * np.rint(slots / 2), 2 * np.rint((slots - 1 - late) / 2) + 1 + late
        return np.where(np.abs(slots - odd) < np.abs(slots - even), odd, even)

    @property
    def slot_s(self) -> float:
        """Seconds of a slot (on average, where the tempo moves)."""
        return self.beat_s / self.grid.per_beat

    @property
    def tempo_range_bpm(self) -> tuple[float, float]:
        """Slowest and fastest bar."""
        if not self.drifts:
            return self.tempo_bpm, self.tempo_bpm
        tempi = self.bar_tempi_bpm
        return float(tempi.min()), float(tempi.max())

    @property
    def bar_tempi_bpm(self) -> Floats:
        """The tempo of every bar, shape (bars,)."""
        if not self.drifts:
            return np.full(self.bars, self.tempo_bpm)
        return np.asarray(60.0 * self.metre.bar_ticks / 960 / np.diff(self.bar_lines_s))

    def in_file_s(self, tick: float) -> float:
        """Where in its file a place of the loop is, in ticks from bar one; a trimmed loop goes round."""
        slot = tick / (self.metre.bar_ticks / self.slots_per_bar)
        at_s = float(self.time_at(np.array([slot]))[0])
        return at_s % self.length_s if self.trimmed else at_s

    @property
    def beat_s(self) -> float:
        """Seconds of a beat as one counts it."""
        return 60.0 / self.tempo_bpm * self.metre.pulse_ticks / 960

    @property
    def bar_s(self) -> float:
        return 60.0 / self.tempo_bpm * self.metre.bar_ticks / 960

    @property
    def slots_per_bar(self) -> int:
        return counted_beats(self.metre) * self.grid.per_beat

    @property
    def length_s(self) -> float:
        return self.bar_lines_s[-1] - self.bar_lines_s[0] if self.drifts else self.bars * self.bar_s


def known_reading(lines_s: Floats, metre: Metre) -> Reading:
    """How bars read whose lines are known.

    Parameters
    ----------
    lines_s
        Where bars begin and the last one ends, shape (bars + 1,), ascending.
    metre
        Of all of them.
    """
    bars, length_s = len(lines_s) - 1, float(lines_s[-1] - lines_s[0])
    tempo_bpm = 60.0 * bars * metre.bar_ticks / 960 / length_s
    even = bool(np.abs(np.diff(lines_s) - length_s / bars).max() < 1e-6)
    lines = () if even else tuple((lines_s - lines_s[0]).tolist())
    return Reading(
        tempo_bpm, metre, bars, 0.0, Grid(4), fit=1.0, score=1.0, confidence=1.0, trimmed=even, bar_lines_s=lines
    )


def unread(duration_s: float) -> Reading:
    """Bars for a recording in which too little is heard: so many of 4/4 that its tempo is a usual one.

    Nobody believes in it: fit and confidence are 0.

    Examples
    --------
    >>> unread(4.0).bars, unread(4.0).tempo_bpm, unread(4.0).confidence
    (2, 120.0, 0.0)
    """
    metre = Metre()
    bars = max(round(duration_s * USUAL_BPM / 240.0), 1)
    return Reading(240.0 * bars / duration_s, metre, bars, 0.0, Grid(4), fit=0.0, score=0.0, confidence=0.0)


def with_grid(reading: Reading, per_beat: int | None) -> Reading:
    """The reading with so many slots in a beat; None, or as it is: itself."""
    if per_beat is None or per_beat == reading.grid.per_beat:
        return reading
    require_range("The slots in a beat", per_beat, 1, 12)
    return replace(reading, grid=Grid(per_beat))


def counted_beats(metre: Metre) -> int:
    """Beats of a bar as one counts them: 2 in 6/8, 7 in 7/8."""
    return metre.bar_ticks // metre.pulse_ticks
