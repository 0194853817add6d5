"""Density as a setting: which hits sound at so many percent. Nothing written goes; 100 % is the pattern as it is."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import require_range
from easy_pocket.core.pattern.backbeat import backbeat
from easy_pocket.core.pattern.metrical import weights
from easy_pocket.core.pattern.pattern import Pattern

BACKBEAT_BONUS = 3.0
VELOCITY_SHARE = 2.0  # what full velocity is worth, in levels of the metre
GOLDEN = 0.6180339887498949


def importance(pattern: Pattern) -> npt.NDArray[np.float64]:
    """How much each hit matters, shape (n,) in the pattern's order: by metrical weight, velocity, and the backbeat.

    Locked hits matter most. No two hits of a voice matter alike: bars take turns, so that thinning is even.
    """
    columns = pattern.arrays
    held = {(hit.voice, hit.tick) for hit in backbeat(pattern)}
    score = weights(columns.tick, pattern.metre) + VELOCITY_SHARE * columns.velocity / 127
    score = score + BACKBEAT_BONUS * np.array([(hit.voice, hit.tick) in held for hit in pattern.hits], dtype=float)
    for index, articulation in columns.articulated:
        score[index] += 100.0 if articulation.locked else 0.0
    for place, voice in enumerate(columns.voices):
        if voice in pattern.locked_voices:
            score[columns.voice_index == place] += 100.0
    bar = columns.tick // pattern.metre.bar_ticks
    inside = columns.tick % pattern.metre.bar_ticks
    return np.asarray(score + 0.05 * (bar * GOLDEN % 1.0) - 1e-7 * inside)


def sounding_at(pattern: Pattern, percent_of: Mapping[str, float]) -> npt.NDArray[np.bool_]:
    """Which hits sound, shape (n,): of each voice the most important ones, as many as its percent (100 when not named).

    The same setting always gives the same hits, a higher one all of a lower one's and more. Raises BadValueError
    outside 0-100 %.
    """
    columns = pattern.arrays
    heard = np.ones(len(columns.tick), dtype=bool)
    if all(percent_of.get(voice, 100.0) == 100.0 for voice in columns.voices):
        return heard
    score = importance(pattern)
    for place, voice in enumerate(columns.voices):
        percent = percent_of.get(voice, 100.0)
        require_range("The density of a voice", percent, 0, 100, "%")
        mine = np.flatnonzero(columns.voice_index == place)
        count = int(np.ceil(len(mine) * percent / 100 - 1e-9))
        heard[mine[np.argsort(-score[mine], kind="stable")[count:]]] = False
    return heard
