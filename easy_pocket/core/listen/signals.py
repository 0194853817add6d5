"""The rate at which recordings are listened to, and the arrays they are held in."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

RATE_HZ = 44_100

Floats = npt.NDArray[np.float64]
Singles = npt.NDArray[np.float32]
Ints = npt.NDArray[np.intp]
