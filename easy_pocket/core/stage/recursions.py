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
BLOCK = 512


def peak_follow(values: npt.NDArray[np.floating], keep: float, share: float) -> Floats:
    """y[n] = max(x[n], keep y[n-1] + share x[n]) from y = 0: rises at once, falls slowly. x >= 0, shape (frames,)."""
    count = len(values)
    blocks = -(-count // BLOCK)
    x = np.zeros((blocks, BLOCK))
    x.ravel()[:count] = values
    x = np.ascontiguousarray(x.T)  # a row holds one place of all blocks
    least, slope_free = np.empty_like(x), np.empty_like(x)
    # Within a block: y = max(least, keep**k y0 + free), y0 the value before the block.
    least[0], slope_free[0] = x[0], share * x[0]
    for place in range(1, BLOCK):
        np.maximum(x[place], keep * least[place - 1] + share * x[place], out=least[place])
        slope_free[place] = keep * slope_free[place - 1] + share * x[place]
    whole = keep**BLOCK
    before = np.zeros(blocks)
    last = 0.0
    for block, (low, free) in enumerate(zip(least[-1].tolist(), slope_free[-1].tolist(), strict=True)):
        before[block] = last
        last = max(low, whole * last + free)
    powers = keep ** np.arange(1, BLOCK + 1)
    y = np.maximum(least, powers[:, None] * before[None, :] + slope_free)
    return np.asarray(y.T.ravel()[:count])


def smoothed(values: Floats, keep: float) -> Floats:
    """y[n] = keep y[n-1] + (1 - keep) x[n] from y = 0."""
    return np.asarray(signal.lfilter([1 - keep], [1, -keep], values))
