"""Energy of what is above some kHz, as it goes along."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

AT_ONCE = 1 << 20  # samples: of ten minutes a copy is a hundred megabytes


def high_energy(mono: npt.NDArray[np.float32], step: int) -> npt.NDArray[np.float32]:
    """Energy of the change from sample to sample, which is what is high.

    Parameters
    ----------
    mono
        Samples, shape (frames,).
    step
        Samples that are added up.

    Returns
    -------
    numpy.ndarray of float32
        Shape (frames // step,).
    """
    length, piece = len(mono) // step * step, AT_ONCE // step * step
    found = np.empty(length // step, dtype=mono.dtype)
    for first in range(0, length, piece):
        last = min(first + piece, length)
        before = mono[first - 1 : first] if first else mono[:1]
        change = np.diff(mono[first:last], prepend=before).reshape(-1, step)
        np.einsum("ij,ij->i", change, change, out=found[first // step : last // step])
    return found
