"""What was played while nothing was playing: its tempo and bars, read as a loop's are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.ranked_readings import rank_readings
from easy_pocket.core.pattern.timebase import MAX_TEMPO_BPM, MIN_TEMPO_BPM, Metre
from easy_pocket.core.pattern.voices import band_of
from easy_pocket.core.takes.played import Played
from easy_pocket.core.text import counted

FEWEST = 4
LEAD_S, RINGS_S = 0.2, 0.4  # silence put before the first hit and after the last
TOGETHER_S = 0.03  # hits nearer than this are one, for reading
SURE_DB = 20.0
BANDS = {"low": (0.9, 0.1, 0.0), "mid": (0.1, 0.8, 0.1), "high": (0.0, 0.1, 0.9), "all": (0.34, 0.33, 0.33)}
MOST_READINGS = 4


@dataclass(frozen=True)
class FreeReading:
    """start_ms: where its first bar begins, on the clock of the hits. confidence: share of one."""

    tempo_bpm: float
    metre: Metre
    bars: int
    start_ms: float
    confidence: float

    @property
    def words(self) -> str:
        return f"{self.tempo_bpm:.1f} bpm, {counted(self.bars, 'bar')} ({100 * self.confidence:.0f} %)"


def free_readings(played: Played, metre: Metre) -> list[FreeReading]:
    """Ways to read hits that were played to nothing, best first; the metre is the song's.

    Raises
    ------
    BadValueError
        For fewer than four hits, or none that makes a beat.
    """
    if len(played) < FEWEST:
        raise BadValueError(f"{counted(len(played), 'hit')} say no tempo; play {FEWEST} at least.")
    time_s = played.time_ms / 1000
    first = float(time_s[0])
    shape = np.array([BANDS[band_of(voice)] for voice in played.voices])[played.voice_index]
    size = played.velocity / 127.0
    crowd = np.cumsum(np.r_[0, np.diff(time_s) > TOGETHER_S])
    count = int(crowd[-1]) + 1
    weight = np.bincount(crowd, size, count)
    at_s = np.bincount(crowd, size * time_s, count) / weight - first + LEAD_S
    bands = np.stack([np.bincount(crowd, size * shape[:, band], count) / weight for band in range(3)], axis=1)
    onsets = Onsets(at_s, weight / weight.max(), np.full(count, SURE_DB), bands, float(at_s[-1]) + RINGS_S)
    found = []
    for one in rank_readings(onsets):
        if one.metre != metre or one.drifts or not MIN_TEMPO_BPM <= one.tempo_bpm <= MAX_TEMPO_BPM:
            continue
        start_s = one.bar_one_s
        while start_s > LEAD_S + 0.05:  # bars are counted from the first hit
            start_s -= one.bar_s
        bars = max(1, int(np.ceil((at_s[-1] - start_s + 0.02) / one.bar_s)))
        found.append(FreeReading(one.tempo_bpm, one.metre, bars, (start_s - LEAD_S + first) * 1000, one.confidence))
    if not found:
        raise BadValueError("No steady beat was found in what was played: play to the click, or to the loop.")
    return _distinct(found)


def _distinct(found: list[FreeReading]) -> list[FreeReading]:
    """The first of those that say the same."""
    known: list[FreeReading] = []
    for one in found:
        if all(abs(np.log(one.tempo_bpm / other.tempo_bpm)) > 0.02 or one.bars != other.bars for other in known):
            known.append(one)
    return known[:MOST_READINGS]
