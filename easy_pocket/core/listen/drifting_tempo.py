"""Reading a recording whose tempo moves: follow the beat, read the hits as if it were steady, draw its real lines."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.listen.beat_tracking import fit_bar_lines, likely_periods, made_steady, track_beats
from easy_pocket.core.listen.grid_fit import grid_fit
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.tempo import read_free
from easy_pocket.core.pattern.timebase import Metre

TRIED_PERIODS = 4
READ_PERIODS = 2
WORTHWHILE = 0.05  # evened hits must fit the grid better by this than they did
READINGS_EACH = 3
STEADY_ENOUGH = 0.004  # bars that differ in tempo by less than this share are one tempo
DRIFT_MARGIN = 0.12  # a drifting reading must be better by this, for it has more freedom

Floats = npt.NDArray[np.float64]


def read_drifting(onsets: Onsets, steady: list[Reading], metres: tuple[Metre, ...]) -> list[Reading]:
    """Readings with bar lines of their own, best first; none when the beat cannot be followed or does not drift.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    steady
        Readings at one tempo, best first.
    metres
        Metres that are tried.

    Returns
    -------
    list[Reading]
        Readings, best first.
    """
    to_beat = max((reading.fit for reading in steady), default=0.0) + WORTHWHILE
    weights = np.sqrt(np.maximum(onsets.strength, 1e-3))
    followed = []
    for period_s in _periods(onsets, steady):
        beats_s = track_beats(onsets, period_s)
        if len(beats_s) >= 8:
            evened = replace(onsets, time_s=made_steady(onsets.time_s, beats_s))
            mean_s = float(beats_s[-1] - beats_s[0]) / (len(beats_s) - 1)
            followed.append((grid_fit(evened.time_s, weights, mean_s, float(beats_s[0]))[0], period_s, evened))
    found = []
    for fit, _, evened in sorted(followed, key=lambda one: -one[0])[:READ_PERIODS]:
        if fit > to_beat:
            laid = [_follow(onsets, evened.time_s, reading) for reading in read_free(evened, metres)[:READINGS_EACH]]
            found += [reading for reading in laid if reading is not None]
    return sorted(found, key=lambda reading: -reading.score)


def _periods(onsets: Onsets, steady: list[Reading]) -> list[float]:
    """Beat lengths worth following, without near doubles."""
    chosen: list[float] = []
    for period_s in likely_periods(onsets) + [reading.beat_s for reading in steady[:2]]:
        if 0.25 <= period_s <= 1.5 and all(abs(period_s / other - 1) > 0.06 for other in chosen):
            chosen.append(period_s)
    return chosen[:TRIED_PERIODS]


def _follow(onsets: Onsets, evened_s: Floats, reading: Reading) -> Reading | None:
    """The reading of evened hits laid back on the recording; None when its bars hardly differ in tempo."""
    laid = _laid(onsets, evened_s, reading)
    if laid is None:
        return None
    slowest, fastest = laid.tempo_range_bpm
    return None if fastest / slowest - 1 < STEADY_ENOUGH else laid


def followed(onsets: Onsets, reading: Reading) -> Reading:
    """A reading with a bar line for every bar, where its hits say it is, however little they differ.

    The reading itself when they do not say (a single bar, or lines out of order).
    """
    if reading.drifts or reading.bars < 2:
        return reading
    laid = _laid(onsets, onsets.time_s, replace(reading, trimmed=False))
    return reading if laid is None else replace(laid, confidence=reading.confidence)


def measured_tempi_bpm(onsets: Onsets, reading: Reading) -> Floats:
    """The tempo of every bar as its hits have it, shape (bars,), whether or not the reading follows it."""
    return followed(onsets, reading).bar_tempi_bpm


def _laid(onsets: Onsets, evened_s: Floats, reading: Reading) -> Reading | None:
    weights = np.sqrt(np.maximum(onsets.strength, 1e-3))
    place = reading.nearest_places(reading.slot_at(evened_s)) / reading.slots_per_bar
    bars = reading.bars
    for _ in range(3):
        lines_s = fit_bar_lines(place, onsets.time_s, weights, bars)
        if np.any(np.diff(lines_s) <= 0):
            return None
        reading = replace(reading, bar_lines_s=tuple(lines_s.tolist()), bar_one_s=float(lines_s[0]))
        slots = reading.slot_at(onsets.time_s)
        place = reading.nearest_places(slots) / reading.slots_per_bar
    tempo_bpm = 60.0 * bars * reading.metre.bar_ticks / 960 / float(lines_s[-1] - lines_s[0])
    reading = replace(reading, tempo_bpm=tempo_bpm)
    fit, grid = grid_fit(slots * reading.slot_s, weights, reading.beat_s)
    if grid.per_beat != reading.grid.per_beat:
        fit, grid = min(fit, reading.fit), reading.grid
    score = reading.score + 1.2 * (fit - reading.fit) - DRIFT_MARGIN
    return replace(reading, grid=grid, fit=fit, score=score)
