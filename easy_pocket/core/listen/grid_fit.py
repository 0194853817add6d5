"""How well hits fit a grid: every division of a beat, swung or not, against what chance would fit."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.compiled import compiled
from easy_pocket.core.listen.reading import Grid
from easy_pocket.core.listen.signals import Floats, Ints

LOOSENESS_S = 0.012  # how far from its place a played hit usually is
FARTHEST, STEPS = 7, 256  # a hit so many times its looseness from any place fits not at all; steps of each time
CLOSENESS = np.exp(-0.5 * (np.arange(FARTHEST * STEPS + 2) / STEPS) ** 2)  # looked up: an exponential takes far longer
TRIPLET_FROM_PERCENT = 60.0  # 8ths swung further than this are read as triplets

# Grids to try and what each costs for its freedom; swing is tried where it is usual.
GRIDS: tuple[tuple[int, float, bool], ...] = ((2, 0.0, True), (4, 0.02, True), (3, 0.02, False), (6, 0.07, False))
SWINGS = np.arange(50.0, 68.1, 2.0)
SHORTEST_SLOT_S = 0.055  # nothing is played faster


def grid_fit(times_s: Floats, weights: Floats, beat_s: float, phase_s: float = 0.0) -> tuple[float, Grid]:
    """How much better than chance the hits fit the best grid on this beat (1 = exactly), and that grid.

    Parameters
    ----------
    times_s
        Times of the hits in seconds, shape (n,).
    weights
        How much each counts, shape (n,).
    beat_s
        Length of a beat in seconds.
    phase_s
        Time of the first beat in seconds.

    Returns
    -------
    tuple[float, Grid]
        The fit, 0 to 1, and the grid.
    """
    return grid_fits(times_s, weights, np.array([beat_s]), np.array([phase_s]))[0]


def grid_fits(times_s: Floats, weights: Floats, beat_s: Floats, phase_s: Floats) -> list[tuple[float, Grid]]:
    """`grid_fit` for several beats at once.

    Parameters
    ----------
    times_s
        Times of the hits in seconds, shape (n,).
    weights
        How much each counts, shape (n,).
    beat_s
        Lengths of a beat in seconds, shape (m,).
    phase_s
        Time of the first beat of each in seconds, shape (m,).

    Returns
    -------
    list[tuple[float, Grid]]
        Of each beat the fit, 0 to 1, and the grid.
    """
    share = weights / weights.sum()
    best, which, percents = _best_grids(times_s, share, beat_s, phase_s)
    return [
        (float(fit), Grid(GRIDS[at][0], float(percent))) for fit, at, percent in zip(best, which, percents, strict=True)
    ]


@compiled
def _best_grids(times_s: Floats, share: Floats, beat_s: Floats, phase_s: Floats) -> tuple[Floats, Ints, Floats]:
    """Of each beat the best fit less its cost, which of GRIDS it is, and its swing in percent; (m,) each."""
    best, which = np.full(len(beat_s), -1.0), np.zeros(len(beat_s), dtype=np.intp)
    percents, fits = np.full(len(beat_s), SWINGS[0]), np.zeros(len(SWINGS))
    for row in range(len(beat_s)):
        for at in range(len(GRIDS)):
            per_beat, cost, swings = GRIDS[at]
            slot_s = beat_s[row] / per_beat
            if slot_s < SHORTEST_SLOT_S:
                continue
            pair_s, chance = 2 * slot_s, min(LOOSENESS_S * np.sqrt(2 * np.pi) / slot_s, 0.9)
            tried = len(SWINGS) if swings else 1
            fits[:] = 0.0
            for hit in range(len(times_s)):
                inside = np.mod(times_s[hit] - phase_s[row], pair_s)
                from_beat = min(inside, pair_s - inside)
                for swing in range(tried):
                    off = min(abs(inside - SWINGS[swing] / 100 * pair_s), from_beat) / LOOSENESS_S * STEPS
                    if off < FARTHEST * STEPS:
                        step = int(off)
                        near, far = CLOSENESS[step], CLOSENESS[step + 1]
                        fits[swing] += share[hit] * (near + (off - step) * (far - near))
            for swing in range(tried):
                if per_beat == 2 and SWINGS[swing] > TRIPLET_FROM_PERCENT:
                    break
                fit = (fits[swing] - chance) / (1 - chance) - cost - (0.02 if SWINGS[swing] > 52 else 0.0)
                if fit > best[row]:
                    best[row], which[row], percents[row] = fit, at, SWINGS[swing]
    return best, which, percents
