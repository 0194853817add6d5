"""How well hits fit a grid: every division of a beat, swung or not, against what chance would fit."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.listen.reading import Grid

LOOSENESS_S = 0.012  # how far from its place a played hit usually is
TRIPLET_FROM_PERCENT = 60.0  # 8ths swung further than this are read as triplets
Floats = npt.NDArray[np.float64]

# Grids to try and what each costs for its freedom; swing is tried where it is usual.
GRIDS: tuple[tuple[int, float, bool], ...] = ((2, 0.0, True), (4, 0.02, True), (3, 0.02, False), (6, 0.07, False))
SWINGS = np.arange(50.0, 68.1, 2.0)
SHORTEST_SLOT_S = 0.055  # nothing is played faster
MOST_AT_ONCE = 1 << 20  # distances of hits from places


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
    at_once = max(MOST_AT_ONCE // max(len(times_s) * len(SWINGS), 1), 1)
    if len(beat_s) > at_once:
        pieces = range(0, len(beat_s), at_once)
        some = [grid_fits(times_s, weights, beat_s[i : i + at_once], phase_s[i : i + at_once]) for i in pieces]
        return [one for piece in some for one in piece]
    best, chosen = np.full(len(beat_s), -1.0), [Grid(2)] * len(beat_s)
    share = weights / weights.sum()
    for per_beat, cost, swings in GRIDS:
        played = np.flatnonzero(beat_s / per_beat >= SHORTEST_SLOT_S)
        if not len(played):
            continue
        percents = SWINGS if swings else SWINGS[:1]
        fits = _fits(times_s - phase_s[played, None], share, beat_s[played, None] / per_beat, percents)
        net = fits - cost - 0.02 * (percents > 52)
        if per_beat == 2:
            net[:, percents > TRIPLET_FROM_PERCENT] = -1.0
        top = net.argmax(axis=1)
        for row, at, value in zip(played.tolist(), top.tolist(), net.max(axis=1).tolist(), strict=True):
            if value > best[row]:
                best[row], chosen[row] = value, Grid(per_beat, float(percents[at]))
    return list(zip(best.tolist(), chosen, strict=True))


def _fits(times_s: Floats, share: Floats, slot_s: Floats, percents: Floats) -> Floats:
    """Fit above chance of every row of times on its slot, for every swing: shape (m, swings)."""
    pair_s = 2 * slot_s
    inside = np.mod(times_s, pair_s)
    from_beat = np.minimum(inside, pair_s - inside)
    distance = np.abs(inside[:, :, None] - (percents / 100 * pair_s)[:, None, :])
    np.minimum(distance, from_beat[:, :, None], out=distance)
    distance /= LOOSENESS_S
    closeness = np.exp(-0.5 * np.square(distance, out=distance), out=distance)
    chance = np.minimum(LOOSENESS_S * np.sqrt(2 * np.pi) / slot_s, 0.9)
    return np.asarray((np.einsum("n,mnp->mp", share, closeness) - chance) / (1 - chance))
