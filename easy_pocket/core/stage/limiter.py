"""The ceiling: a true-peak limiter with look-ahead, on the whole mix.

True peaks after ITU-R BS.1770-4: four samples for each. The gain goes down in a straight line over the look-ahead, so
it is there when the peak comes; it comes back by the release.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import ndimage

from easy_pocket.core.stage.compressor import kept
from easy_pocket.core.stage.recursions import peak_follow

Floats = npt.NDArray[np.floating]
AHEAD = 66  # samples, 1.5 ms
RELEASE_MS = 80.0
PHASES = 4
HALF = 8  # samples to either side that a value between two samples is made of
LATENCY = AHEAD + HALF  # samples by which the page hears later
DEFAULT_CEILING_DB = -1.0


def between() -> Floats:
    """Taps that give the values a quarter, a half and three quarters on from a sample: shape (3, 16)."""
    at = np.arange(-HALF + 1, HALF + 1)
    window = np.kaiser(2 * HALF + 1, 6.0)
    found = []
    for phase in range(1, PHASES):
        distance = at - phase / PHASES
        shaped = np.sinc(distance) * np.interp(distance, np.arange(-HALF, HALF + 1), window)
        found.append(shaped / shaped.sum())
    return np.array(found)


BETWEEN = between()


MOST_BETWEEN = float(np.abs(BETWEEN).sum(axis=1).max())  # a value between samples is at most so much larger than they


def true_peaks(audio: Floats, over: float = 0.0) -> Floats:
    """The largest size at each sample and up to the next one, of all channels; audio (channels, frames).

    over: peaks that cannot be larger than this are not looked for between samples.
    """
    peaks = np.abs(audio).max(axis=0)
    frames = len(peaks)
    near = np.flatnonzero(peaks * MOST_BETWEEN > over)
    if not len(near):
        return np.asarray(peaks)
    # Stretches round what is loud enough, each with what its values are made of.
    gaps = np.flatnonzero(np.diff(near) > 4 * HALF)
    for first, last in zip(near[np.r_[0, gaps + 1]].tolist(), near[np.r_[gaps, len(near) - 1]].tolist(), strict=True):
        start, end = max(first - HALF, 0), min(last + HALF + 1, frames)
        around = np.zeros((len(audio), end - start + 2 * HALF))
        low, high = max(start - HALF, 0), min(end + HALF, frames)
        around[:, low - start + HALF : high - start + HALF] = audio[:, low:high]
        for taps in BETWEEN:
            for channel in around:
                between = np.abs(np.convolve(channel, taps[::-1])[2 * HALF : 2 * HALF + end - start])
                np.maximum(peaks[start:end], between, out=peaks[start:end])
    return np.asarray(peaks)


def true_peak_db(audio: Floats) -> float:
    """Of the whole, in dBTP; -120 for silence."""
    return float(20 * np.log10(max(float(true_peaks(audio).max(initial=0.0)), 1e-6)))


def limiter_gain(audio: Floats, ceiling_db: float) -> Floats:
    """What each sample is multiplied by, 1 where nothing is over the ceiling."""
    ceiling = 10 ** (ceiling_db / 20)
    over = 1 - np.minimum(1.0, ceiling / np.maximum(true_peaks(audio, ceiling), 1e-9))
    if not over.any():
        return np.ones(audio.shape[1])
    # The largest of each sample and the AHEAD after it; a peak at the very start is seen from before it.
    over = np.concatenate([np.zeros(AHEAD), over])
    ahead = ndimage.maximum_filter1d(over, AHEAD + 1, origin=-(AHEAD // 2), mode="constant")
    followed = peak_follow(ahead, kept(RELEASE_MS), 0.0)
    sums = np.cumsum(np.concatenate([[0.0], followed]))
    return np.asarray(1 - (sums[AHEAD + 1 :] - sums[1:-AHEAD]) / AHEAD)


def limited(audio: Floats, ceiling_db: float) -> tuple[Floats, Floats]:
    """Audio of shape (2, frames) under the ceiling, and the gain of each sample."""
    gain = limiter_gain(audio, ceiling_db)
    return audio * gain, gain
