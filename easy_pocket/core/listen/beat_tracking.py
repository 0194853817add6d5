"""Following the beat of a recording whose tempo moves.

The beats are those that hold the most onset strength while their distance stays near the period: dynamic programming
after D. Ellis, "Beat tracking by dynamic programming" (Journal of New Music Research, 2007). What is found is only
used to make the hits steady enough to be read like those of a machine; the lines drawn come from `fit_bar_lines`,
which follows the player's tempo but not the feel within a bar.
"""

from __future__ import annotations

import numpy as np
from scipy.interpolate import CubicSpline
from scipy.ndimage import gaussian_filter1d, uniform_filter1d

from easy_pocket.core.compiled import compiled
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.signals import Floats, Ints

HOP_S = 0.01
TIGHTNESS = 100.0  # cost of a beat that is not a period after the last: this times the log of their ratio, squared
MIN_PERIOD_S, MAX_PERIOD_S = 0.25, 1.2
USUAL_PERIOD_S, PERIOD_OCTAVES = 0.54, 0.9
NODES_PER_BAR = 2  # of the fitted tempo curve
STIFFNESS = 2.0  # of the fitted tempo curve, against one hit


def likely_periods(onsets: Onsets, count: int = 4) -> list[float]:
    """Distances in seconds at which hits follow each other most, the usual tempi preferred; best first."""
    frames = _strength_frames(onsets)
    reach = round(MAX_PERIOD_S / HOP_S)
    size = 1 << (len(frames) + reach).bit_length()
    spectrum = np.fft.rfft(frames - frames.mean(), size)
    likeness = np.fft.irfft(np.abs(spectrum) ** 2, size)[: reach + 1]
    lags_s = np.arange(reach + 1) * HOP_S
    octaves = np.log2(np.maximum(lags_s, HOP_S) / USUAL_PERIOD_S) / PERIOD_OCTAVES
    likely = likeness * np.exp(-0.5 * octaves**2)
    likely[: round(MIN_PERIOD_S / HOP_S)] = 0.0
    is_peak = (likely[1:-1] >= likely[:-2]) & (likely[1:-1] > likely[2:]) & (likely[1:-1] > 0)
    peaks = np.flatnonzero(is_peak) + 1
    return [float(lag_s) for lag_s in lags_s[peaks[np.argsort(-likely[peaks])][:count]]]


def _strength_frames(onsets: Onsets) -> Floats:
    """Onset strength in steps of HOP_S, each hit a narrow bump, with a standard deviation of one."""
    frames = np.zeros(int(onsets.duration_s / HOP_S) + 2)
    np.add.at(frames, np.rint(onsets.time_s / HOP_S).astype(np.intp), np.sqrt(onsets.strength))
    frames = gaussian_filter1d(frames, 1.5)
    return np.asarray(frames / max(float(frames.std()), 1e-12))


def track_beats(onsets: Onsets, period_s: float) -> Floats:
    """Times of the beats from the first hit to the last, shape (beats,), about `period_s` apart and steadied.

    Returns an empty array when fewer than four beats fit.
    """
    period = period_s / HOP_S
    back = np.arange(-round(2 * period), -round(period / 2) + 1)
    score, came_from = _best_chains(_strength_frames(onsets), -TIGHTNESS * np.log(-back / period) ** 2, int(-back[0]))
    last = len(score) - 1 - int(score[::-1][: max(round(period), 1)].argmax())
    beats = [last]
    while came_from[beats[-1]] >= 0:
        beats.append(int(came_from[beats[-1]]))
    times_s = np.array(beats[::-1]) * HOP_S
    first = max(int(np.searchsorted(times_s, onsets.time_s[0] - period_s / 2)), 0)
    times_s = times_s[first:]
    return _steadied(times_s) if len(times_s) >= 4 else np.zeros(0)


@compiled
def _best_chains(frames: Floats, cost: Floats, farthest: int) -> tuple[Floats, Ints]:
    """For every frame the score of the best chain of beats that ends there, and the beat before it (-1: none).

    cost: of a beat that follows one `farthest` frames before, `farthest` - 1, and so on.
    """
    score, came_from = frames.copy(), np.full(len(frames), -1)
    for frame in range(len(frames)):
        best, at = -np.inf, 0
        for index in range(len(cost)):
            before = frame - farthest + index
            so_far = cost[index] + (score[before] if before >= 0 else 0.0)
            if so_far > best:
                best, at = so_far, before
        if best > 0 and at >= 0:
            score[frame] += best
            came_from[frame] = at
    return score, came_from


def _steadied(times_s: Floats) -> Floats:
    """The beats without the scatter of single ones: distances averaged over five."""
    index = np.arange(len(times_s))
    slope, start = np.polyfit(index, times_s, 1)
    wander = times_s - (start + slope * index)
    return np.asarray(start + slope * index + uniform_filter1d(wander, min(5, len(times_s)), mode="nearest"))


def made_steady(times_s: Floats, beats_s: Floats) -> Floats:
    """Where the times would lie if the beats were evenly spaced over the same stretch; straight on beyond its ends."""
    steady = np.linspace(beats_s[0], beats_s[-1], len(beats_s))
    return through(times_s, beats_s, steady)


def through(values: Floats, known: Floats, becomes: Floats) -> Floats:
    """Linear interpolation that goes on beyond the ends as it went on average near them.

    Parameters
    ----------
    values
        Where to ask, any shape.
    known
        Places that are known, rising, at least two.
    becomes
        What each known place becomes.

    Returns
    -------
    Floats
        Values of the same shape.
    """
    ends = min(4, len(known) - 1)
    before = becomes[0] + (values - known[0]) * (becomes[ends] - becomes[0]) / (known[ends] - known[0])
    after = becomes[-1] + (values - known[-1]) * (becomes[-1] - becomes[-1 - ends]) / (known[-1] - known[-1 - ends])
    inside = np.interp(values, known, becomes)
    return np.where(values < known[0], before, np.where(values > known[-1], after, inside))


def fit_bar_lines(place_bars: Floats, times_s: Floats, weights: Floats, bars: int) -> Floats:
    """Times of bar lines 0 to `bars`, shape (bars + 1,), from hits whose written place is known in bars.

    A curve that bends only as a player's tempo does is fitted by least squares (third differences are held down, so
    that a steady speeding up costs nothing); what a hit is early or late within a bar stays with the hit.

    Parameters
    ----------
    place_bars
        Written place of each hit in bars, shape (n,).
    times_s
        When each was heard, in seconds, shape (n,).
    weights
        How much each counts, shape (n,).
    bars
        How many bars there are.

    Returns
    -------
    Floats
        Times in seconds, shape (bars + 1,).
    """
    nodes = bars * NODES_PER_BAR + 1
    at = np.clip(place_bars * NODES_PER_BAR, 0, nodes - 1)
    left = np.minimum(at.astype(np.intp), nodes - 2)
    rows = np.arange(len(at))
    design = np.zeros((len(at), nodes))
    design[rows, left] = 1 - (at - left)
    design[rows, left + 1] = at - left
    weights = weights / weights.mean()
    bending = np.diff(np.eye(nodes), 3, axis=0) if nodes > 3 else np.zeros((0, nodes))
    normal = design.T @ (design * weights[:, None]) + STIFFNESS * bending.T @ bending + 1e-9 * np.eye(nodes)
    # Measured from a straight run, so that places without any hit follow it.
    slope, start = np.polyfit(at, times_s, 1, w=np.sqrt(weights))
    straight = start + slope * np.arange(nodes)
    curve = straight + np.linalg.solve(normal, design.T @ (weights * (times_s - design @ straight)))
    return np.asarray(curve[::NODES_PER_BAR])


def line_times(bar_lines_s: Floats, place_bars: Floats) -> Floats:
    """The time of places given in bars, on a smooth curve through the bar lines, straight on beyond the ends."""
    index = np.arange(len(bar_lines_s), dtype=np.float64)
    last = index[-1]
    if len(bar_lines_s) < 4:
        return through(place_bars, index, bar_lines_s)
    curve = CubicSpline(index, bar_lines_s, bc_type="natural")
    inside = curve(np.clip(place_bars, 0, last))
    return np.asarray(
        inside + np.minimum(place_bars, 0) * curve(0, 1) + np.maximum(place_bars - last, 0) * curve(last, 1)
    )


def places_at(bar_lines_s: Floats, times_s: Floats, steps_per_bar: int = 32) -> Floats:
    """The inverse of `line_times`: places in bars of times in seconds.

    Parameters
    ----------
    bar_lines_s
        Times of the bar lines in seconds.
    times_s
        Times in seconds, shape (n,).
    steps_per_bar
        Points of the grid in a bar, between which tempo goes evenly.

    Returns
    -------
    Floats
        Places in bars, shape (n,).
    """
    places = np.arange(-steps_per_bar, (len(bar_lines_s)) * steps_per_bar + 1) / steps_per_bar
    return through(times_s, line_times(bar_lines_s, places), places)
