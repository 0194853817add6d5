"""Recursions over samples, without a loop over them."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import signal

Floats = npt.NDArray[np.float64]
FRAMES_AT_ONCE = 32_768  # so that what is worked on stays near the processor
LARGEST_EXPONENT = 300.0  # e to this is still a float, with room for the values


def peak_follow(values: npt.NDArray[np.floating], keep: float, share: float, last: float = 0.0) -> Floats:
    """y[n] = max(x[n], keep y[n-1] + share x[n]): rises at once, falls slowly. x >= 0, shape (frames,).

    Divided by keep**n it is z[n] = max(x[n] / keep**n, z[n-1] + share x[n] / keep**n): what z is above the running sum
    of the last term is a running maximum.

    Parameters
    ----------
    values
        0 or more, shape (frames,).
    keep
        Share of the last value that stays, 0 to 1.
    share
        Share of a new value that comes in, 0 to 1.
    last
        The value before the first one.

    Returns
    -------
    Floats
        Values of the same shape.
    """
    found = np.array(values, dtype=np.float64)
    if keep <= 0 or not len(found):
        return found
    decay = -np.log(keep)
    at_once = min(FRAMES_AT_ONCE, len(found), max(int(LARGEST_EXPONENT / max(decay, 1e-12)), 1))
    grown = np.exp(decay * np.arange(1, at_once + 1))
    for start in range(0, len(found), at_once):
        y = found[start : start + at_once]
        y *= grown[: len(y)]
        sums = np.cumsum(y)
        sums *= share
        y -= sums
        y[0] = max(y[0], last)
        np.maximum.accumulate(y, out=y)
        y += sums
        y /= grown[: len(y)]
        last = float(y[-1])
    return found


def smoothed(values: Floats, keep: float, state: Floats) -> tuple[Floats, Floats]:
    """y[n] = keep y[n-1] + (1 - keep) x[n], and the state to go on from; state: shape (1,), zero at first.

    Parameters
    ----------
    values
        Shape (frames,).
    keep
        Share of the last value that stays, 0 to 1.
    state
        Shape (1,), zero at first.

    Returns
    -------
    tuple[Floats, Floats]
        Values of the same shape, and the state to go on from.
    """
    found, state = signal.lfilter([1 - keep], [1, -keep], values, zi=state)
    return np.asarray(found), np.asarray(state)
