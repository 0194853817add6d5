"""Simulated players whose lean, swing, drift, jitter and touch are known."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.pattern.timebase import COMMON_TIME
from easy_pocket.core.takes.hand import TakeToLearn
from easy_pocket.core.takes.played import TakeBars, played_from_rows

BEAT = {"kick": (0, 6, 7, 10), "snare": (4, 12, 15), "hat_closed": tuple(range(16))}
SLOTS = 16


@dataclass(frozen=True)
class Player:
    """lean_ms, accents: by voice, a value for each slot; leans of second notes are as large as those of first ones, so
    that what they share is swing."""

    lean_ms: dict[str, npt.NDArray[np.float64]]
    accents: dict[str, npt.NDArray[np.float64]]
    swing_percent: float
    drift_ms: float
    jitter_ms: float
    slope: float
    touch: float

    def plays(self, dice: np.random.Generator, bars: int, tempo_bpm: float = 104.0) -> TakeToLearn:
        over = TakeBars(bars * COMMON_TIME.bar_ticks, COMMON_TIME, tempo_bpm)
        drift = self.drift_ms * one_over_f(dice, bars * SLOTS, self.slope)
        late_ms = (self.swing_percent - 50) / 100 * 480 * over.tick_ms
        rows = []
        for voice, slots in BEAT.items():
            for slot in slots:
                for bar in range(bars):
                    place = bar * SLOTS + slot
                    time_ms = place * 240 * over.tick_ms + slot % 2 * late_ms + self.lean_ms[voice][slot]
                    time_ms += drift[place] + dice.normal(0, self.jitter_ms)
                    size = round(self.accents[voice][slot] + dice.normal(0, self.touch))
                    rows.append((voice, time_ms, int(np.clip(size, 1, 127))))
        return TakeToLearn(played_from_rows(rows), over)


def one_over_f(dice: np.random.Generator, count: int, slope: float) -> npt.NDArray[np.float64]:
    """1/f^slope noise of mean 0 and SD 1."""
    number = np.arange(1, count // 2 + 1)
    spectrum = np.zeros(count // 2 + 1, dtype=np.complex128)
    spectrum[1:] = number ** (-slope / 2) * np.exp(2j * np.pi * dice.random(len(number)))
    noise = np.fft.irfft(spectrum, count)
    return noise / noise.std()


def any_player(dice: np.random.Generator) -> Player:
    lean_ms = {}
    for voice in BEAT:
        drawn = dice.normal(0, 5, SLOTS)
        drawn[1::2] += drawn[::2].mean() - drawn[1::2].mean()
        lean_ms[voice] = drawn
    accents = {voice: dice.uniform(60, 110, SLOTS) for voice in BEAT}
    return Player(
        lean_ms,
        accents,
        dice.uniform(50, 64),
        dice.uniform(2, 6),
        dice.uniform(2, 6),
        dice.uniform(0.5, 1.5),
        dice.uniform(4, 10),
    )
