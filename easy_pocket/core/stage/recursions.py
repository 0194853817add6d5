"""Recursions with a maximum in them, sample after sample, without a loop over samples.

y[n] = max(x[n], a y[n-1] + b x[n]) is the repeated composition of functions max(c, A y + B), and those compose to one
of their own kind. So all blocks go forward at once, side by side, then the few block ends one after another, and both
are put together: the parallel prefix of Blelloch (1990), in two levels.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import signal

Floats = npt.NDArray[np.float64]
BLOCK = 128
BLOCKS_AT_ONCE = 1024  # so that what is worked on stays near the processor


def peak_follow(values: npt.NDArray[np.floating], keep: float, share: float, last: float = 0.0) -> Floats:
    """y[n] = max(x[n], keep y[n-1] + share x[n]): rises at once, falls slowly. x >= 0, shape (frames,).

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
    count = len(values)
    blocks = -(-count // BLOCK)
    padded = np.zeros(blocks * BLOCK)
    padded[:count] = values
    rows = padded.reshape(blocks, BLOCK)
    for start in range(0, blocks, BLOCKS_AT_ONCE):
        last = _follow(rows[start : start + BLOCKS_AT_ONCE], keep, share, last)
    return padded[:count]


def _follow(rows: Floats, keep: float, share: float, last: float) -> float:
    """The same of some blocks in place, from the value before them; the last value."""
    x = np.ascontiguousarray(rows.T)  # a row holds one place of all blocks
    risen, least, free = share * x, np.empty_like(x), np.empty_like(x)
    # Within a block: y = max(least, keep**k y0 + free), y0 the value before the block.
    least[0], free[0] = x[0], risen[0]
    going = np.empty(x.shape[1])
    for place in range(1, BLOCK):
        np.multiply(least[place - 1], keep, out=going)
        going += risen[place]
        np.maximum(x[place], going, out=least[place])
        np.multiply(free[place - 1], keep, out=free[place])
        free[place] += risen[place]
    whole = keep**BLOCK
    before = np.empty(x.shape[1])
    for block, (low, high) in enumerate(zip(least[-1].tolist(), free[-1].tolist(), strict=True)):
        before[block] = last
        last = max(low, whole * last + high)
    free += keep ** np.arange(1, BLOCK + 1)[:, None] * before[None, :]
    rows[:] = np.maximum(least, free).T
    return last


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
