"""Audio as the sounds of voices have it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Frames = npt.NDArray[np.float32]  # audio at 44.1 kHz, shape (frames, 1 or 2 channels)


def as_kept(audio: npt.NDArray[np.floating]) -> npt.NDArray[np.float64]:
    """The audio on the grid of 24 bits, as recordings are kept: read again it is the same."""
    return np.rint(audio.astype(np.float64) * 2**23) / 2**23


def fixed(audio: Frames) -> Frames:
    """The same audio, which cannot be changed any more: it may be kept and shared."""
    audio.flags.writeable = False
    return audio
