"""Neural networks that give each onset candidate log-odds of being a hit; fitted by `tools/fit hits`.

`sound` uses the candidate's own picture, `bars` also what the same slot holds in the other bars, and `together`
predicts how many ms after the first of several drums struck together their middle lies. `level` predicts how strong the
drums of a hit alone are, in dB beside the others of its recording.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np

from easy_pocket.core.listen.network import Network, read_network
from easy_pocket.core.listen.signals import RATE_HZ, Floats, Ints

FITTED_FILE = Path(__file__).with_name("hit_classifier.npz")
MERGE_S = 0.030  # sounds closer than this are one hit
NEEDED = -0.6  # log odds at a sensitivity of a half ...
NARROW_EASE = 0.6  # so much less is asked of a recording that has nothing above 5 kHz: its hats are faint
LESS, MORE = 14.0, 20.0  # ... and how far they go up from there to 0 and down to 1, per 1
DB_OF_ODDS = 10 / np.log(10)


@lru_cache(maxsize=4)
def network(name: str) -> Network:
    """By name: `sound`, `bars`, `together` or `level`."""
    return read_network(FITTED_FILE, name)


def needed_log_odds(sensitivity: float, *, narrow: bool = False) -> float:
    """Log odds from which a place is a hit; sensitivity 0 (only the plainest) to 1 (everything that stirs)."""
    return NEEDED - NARROW_EASE * narrow + (LESS if sensitivity < 0.5 else MORE) * (0.5 - sensitivity)


def select_separated(at: Ints, odds: Floats, needed: float) -> Ints:
    """Positions of the places (sorted) that have the odds, without any within MERGE_S of one with better odds.

    Parameters
    ----------
    at
        Places in samples, rising, shape (n,).
    odds
        Log-odds of each place, shape (n,).
    needed
        Least log-odds that count.

    Returns
    -------
    Ints
        Indices of the places that are taken.
    """
    gap = int(MERGE_S * RATE_HZ)
    low, high = np.searchsorted(at, at - gap), np.searchsorted(at, at + gap, side="right")
    free = odds >= needed
    kept = []
    for index in np.argsort(-odds, kind="stable")[: int(free.sum())].tolist():
        if free[index]:
            kept.append(index)
            free[low[index] : high[index]] = False
    return np.sort(np.array(kept, dtype=np.intp))
