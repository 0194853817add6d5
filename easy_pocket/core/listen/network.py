"""Small neural networks as `tools/fit` writes them.

One hidden layer of rectified units each, the mean of several fitted from different starts (bagging, Breiman 1996).
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]

FARTHEST = 4.0  # inputs are clipped to so many standard deviations: beyond the training data nothing is known
AT_ONCE = 2048  # rows: of ten minutes there are twenty thousand


@dataclass(frozen=True)
class Network:
    """One hidden layer: middle and width of what goes in (k,), weights (k, h), offsets (h,), out (h, m), bias (m,).

    With a single output out is (h,) and bias one number.
    """

    middle: Floats
    width: Floats
    weights: Floats
    offsets: Floats
    out: Floats
    bias: Floats

    def of(self, pictures: Floats) -> Floats:
        """Natural log odds, or what else it was fitted to: (n, m), or (n,) with a single output."""
        found = np.empty((len(pictures), *self.out.shape[1:]))
        for start in range(0, len(pictures), AT_ONCE):
            piece = pictures[start : start + AT_ONCE]
            scaled = np.clip((piece - self.middle) / self.width, -FARTHEST, FARTHEST)
            found[start : start + AT_ONCE] = (
                np.maximum(scaled @ self.weights + self.offsets, 0.0) @ self.out + self.bias
            )
        return found


def read_network(file: Path, name: str) -> Network:
    """Of a file that holds several, the one of this name."""
    with np.load(file, allow_pickle=False) as stored:
        return Network(*(stored[f"{name}_{part}"].astype(np.float64) for part in Network.__dataclass_fields__))
