"""The compressor: feed-forward, in dB, with a soft knee and a smooth decoupled peak detector.

After Giannoulis, Massberg and Reiss (2012), "Digital Dynamic Range Compressor Design". A time is that after which 63 %
of a change is reached.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.recursions import peak_follow, smoothed

Floats = npt.NDArray[np.floating]
LN_DB = float(np.log(10) / 20)
FLOOR = 1e-6  # what is softer counts as -120 dB
FRAMES_AT_ONCE = 32_768  # so that what is worked on stays near the processor


def kept(time_ms: float) -> float:
    """How much of its last value a smoothed value keeps from sample to sample."""
    return float(np.exp(-1000.0 / (time_ms * RATE_HZ)))


def static_reduction_db(
    level_db: npt.NDArray[np.floating], threshold_db: float, ratio: float, knee_db: float
) -> npt.NDArray[np.floating]:
    """What a steady level is taken down by, in dB >= 0.

    Parameters
    ----------
    level_db
        Level in dB, any shape.
    threshold_db
        Where it begins, in dB.
    ratio
        Input to output above the threshold, 1 or more.
    knee_db
        Width of the bend round the threshold, in dB.

    Returns
    -------
    npt.NDArray[np.floating]
        Reduction in dB, same shape.
    """
    over = level_db - threshold_db
    slope = 1 - 1 / ratio
    if knee_db < 0.01:
        return np.asarray(slope * np.maximum(over, 0))
    # A square within the knee, and the straight line after it.
    within = np.clip(over + knee_db / 2, 0, knee_db)
    within *= within
    within *= slope / (2 * knee_db)
    np.maximum(over - knee_db / 2, 0, out=over)
    over *= slope
    over += within
    return np.asarray(over)


def reduction_db(side: Floats, settings: Mapping[str, float]) -> Floats:
    """What each sample is taken down by, in dB >= 0; side: shape (channels, frames), what it listens to."""
    threshold_db, ratio, knee_db = (settings[name] for name in ("threshold_db", "ratio", "knee_db"))
    keep, attack = kept(settings["release_ms"]), kept(settings["attack_ms"])
    found = np.empty(side.shape[1])
    risen, state = 0.0, np.zeros(1)
    for start in range(0, side.shape[1], FRAMES_AT_ONCE):
        piece = side[:, start : start + FRAMES_AT_ONCE]
        size = np.abs(piece[0])
        for other in piece[1:]:
            np.maximum(size, np.abs(other), out=size)
        level_db = np.maximum(size, FLOOR).astype(np.float32)
        np.log10(level_db, out=level_db)
        level_db *= 20
        wanted_db = static_reduction_db(level_db, threshold_db, ratio, knee_db)
        followed_db = peak_follow(wanted_db, keep, 1 - keep, risen)
        risen = float(followed_db[-1])
        found[start : start + len(size)], state = smoothed(followed_db, attack, state)
    return found


def compressed(audio: Floats, side: Floats, settings: Mapping[str, float]) -> tuple[Floats, Floats]:
    """Audio of shape (2, frames) compressed, and the reduction in dB of each sample.

    Parameters
    ----------
    audio
        Samples, shape (2, frames).
    side
        What feeds it, shape (2, frames).
    settings
        Values of the unit by field.

    Returns
    -------
    tuple[Floats, Floats]
        Samples of shape (2, frames), and reduction in dB of shape (frames,).
    """
    gain, taken_db = compressor_gain(side, settings)
    return np.asarray(audio * gain), taken_db


def compressor_gain(side: Floats, settings: Mapping[str, float]) -> tuple[npt.NDArray[np.floating], Floats]:
    """The gain of each sample, and the reduction in dB in it; side: shape (channels, frames), what it listens to."""
    taken_db = reduction_db(side, settings)
    wet = settings["mix_percent"] / 100
    gain = (settings["makeup_db"] - taken_db).astype(np.float32)
    gain *= LN_DB
    np.exp(gain, out=gain)
    return (gain if wet == 1 else 1 - wet + wet * gain), taken_db
