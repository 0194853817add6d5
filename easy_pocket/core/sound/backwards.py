"""A sound played backwards, so that its attack falls on the end of a stretch of time."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.errors import require_range
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.tones import RATE_HZ

MAX_FRAMES = 60 * RATE_HZ
FADE_IN_S = 0.03  # where a sound longer than the stretch is cut off


def backwards(sound: Frames, frames: int, fade_frames: int = 0) -> Frames:
    """`frames` samples whose last one is the sound's first.

    Silence before a shorter sound, a longer one cut off at the beginning and faded in. The last fade_frames are
    faded out. sound: shape (n, 1 or 2).

    Parameters
    ----------
    sound
        Samples, shape (n, 1 or 2).
    frames
        Length of the result in frames.
    fade_frames
        How many frames at its end are faded out.

    Returns
    -------
    Frames
        Samples, shape (frames, 1 or 2).

    Raises
    ------
    BadValueError
        Unless frames is 1 to a minute's.
    """
    require_range("The length of a sound that runs backwards", frames, 1, MAX_FRAMES, "samples")
    turned = np.zeros((frames, sound.shape[1]), dtype=np.float32)
    kept = min(frames, len(sound))
    turned[frames - kept :] = sound[:kept][::-1]
    if kept < len(sound):
        fade = min(int(FADE_IN_S * RATE_HZ), kept)
        turned[:fade] *= np.linspace(0, 1, fade, dtype=np.float32)[:, None]
    if fade_frames:
        last = min(fade_frames, frames)
        turned[frames - last :] *= np.linspace(1, 0, last, dtype=np.float32)[:, None]
    return turned
