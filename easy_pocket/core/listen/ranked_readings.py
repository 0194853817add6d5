"""Every way to read a loop, ranked: as trimmed, as steady but not trimmed, as drifting."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.drifting_tempo import read_drifting
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Grid, Reading
from easy_pocket.core.listen.reading_habits import habit_score
from easy_pocket.core.listen.tempo import KEPT, MAX_TEMPO_BPM, METRES, MIN_TEMPO_BPM, read_free, read_trimmed

CONVINCING = 1.2  # a trimmed reading of at least this score leaves free ones no chance
STEADY_FIT = 0.85  # hits that fit a steady grid this well need no beat to be followed
BETWEEN, SIXTEENTH_S = 0.2, 0.030  # so near the middle of two 8ths, in slots and in seconds, a hit is a 16th
FEW_SIXTEENTHS = 2
WEIGHED = 8  # readings that are weighed by habit
BELIEF = 8.0  # how much a difference of score says
FREE_MARGIN = 0.15  # a free reading must beat the trimmed one by this, for it has more freedom
FREE_MARGIN_AT_START = 0.5  # ... when the first hit lies right at the start, as in a trimmed loop


def rank_readings(onsets: Onsets) -> list[Reading]:
    """Readings, best first, with their confidence (shares of one). Raises NoHitsError for fewer than two hits."""
    found = [replace(one, score=one.score + habit_score(onsets, one)) for one in plain_readings(onsets)]
    found.sort(key=lambda reading: -reading.score)
    return [in_sixteenths(onsets, reading) for reading in with_confidence(found)]


def plain_readings(onsets: Onsets) -> list[Reading]:
    """The best few readings by their fit and their accents alone. Raises NoHitsError for fewer than two hits."""
    if len(onsets) < 2:
        raise NoHitsError(
            f"{len(onsets)} hit was heard; a beat needs at least two. Raise the sensitivity, or add hits by hand."
        )
    trimmed = read_trimmed(onsets)
    at_start = min(onsets.time_s[0], onsets.duration_s - onsets.time_s[-1]) < 0.05
    convinced = at_start and bool(trimmed) and trimmed[0].score >= CONVINCING
    free = [] if convinced else read_free(onsets)
    margin = FREE_MARGIN_AT_START if at_start else FREE_MARGIN
    if not convinced and (not free or free[0].fit < STEADY_FIT):
        free = _distinct(free + read_drifting(onsets, free, METRES))
    readings = trimmed + [replace(reading, score=reading.score - margin) for reading in free]
    if not readings:
        raise NoHitsError(
            f"No tempo between {MIN_TEMPO_BPM:.0f} and {MAX_TEMPO_BPM:.0f} bpm makes {onsets.duration_s:.2f} s a whole "
            "number of bars: set the bars by hand."
        )
    readings.sort(key=lambda reading: -reading.score)
    return readings[:WEIGHED]


def in_sixteenths(onsets: Onsets, reading: Reading) -> Reading:
    """A reading in 6/8 with slots for the 16ths, when some are played; they are too few to show in how all hits fit."""
    if not reading.metre.compound or reading.grid.per_beat != 3:
        return reading
    place = reading.slot_at(onsets.time_s)
    between = np.abs(place - np.floor(place) - 0.5) < min(BETWEEN, SIXTEENTH_S / reading.slot_s)
    return replace(reading, grid=Grid(6)) if between.sum() >= FEW_SIXTEENTHS else reading


def _distinct(readings: list[Reading]) -> list[Reading]:
    """The best of those that count the same beats, steady or drifting."""
    best: dict[tuple[str, int, int], Reading] = {}
    for reading in sorted(readings, key=lambda reading: -reading.score):
        tempo_class = round(np.log(reading.tempo_bpm) / np.log(1.06))
        near = [(str(reading.metre), reading.bars, tempo_class + step) for step in (-1, 0, 1)]
        if not any(key in best for key in near):
            best[near[1]] = reading
    return list(best.values())


def with_confidence(readings: list[Reading], keep: int = KEPT) -> list[Reading]:
    """The best few, each with its share of belief: e to the score, sharper the more the scores differ."""
    kept = readings[:keep]
    belief = np.exp(BELIEF * (np.array([reading.score for reading in kept]) - kept[0].score))
    # Belief is worth only as much as the grid fits: noise has a best reading too.
    trust = np.clip(kept[0].fit / 0.6, 0.0, 1.0)
    shares = belief / belief.sum() * trust
    return [replace(reading, confidence=float(share)) for reading, share in zip(kept, shares, strict=True)]
