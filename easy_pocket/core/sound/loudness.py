"""Loudness as the ear weighs it, in LUFS: K-weighting and gating after ITU-R BS.1770-4, for 44.1 kHz."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import signal

from easy_pocket.core.sound.tones import RATE_HZ

MOMENT_S = 0.4
SILENCE_LUFS = -120.0
ABSOLUTE_GATE_LUFS = -70.0
RELATIVE_GATE_LU = -10.0

Floats = npt.NDArray[np.floating]


def _shelf(gain_db: float, quality: float, corner_hz: float) -> list[float]:
    k = np.tan(np.pi * corner_hz / RATE_HZ)
    high = 10 ** (gain_db / 20)
    band = high**0.4996667741545416
    a0 = 1 + k / quality + k * k
    b = [(high + band * k / quality + k * k) / a0, 2 * (k * k - high) / a0, (high - band * k / quality + k * k) / a0]
    return [*b, 1.0, 2 * (k * k - 1) / a0, (1 - k / quality + k * k) / a0]


def _rumble_filter(quality: float, corner_hz: float) -> list[float]:
    k = np.tan(np.pi * corner_hz / RATE_HZ)
    a0 = 1 + k / quality + k * k
    return [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / quality + k * k) / a0]


K_WEIGHTING = np.array(
    [
        _shelf(3.999843853973347, 0.7071752369554196, 1681.974450955533),
        _rumble_filter(0.5003270373238773, 38.13547087602444),
    ]
)


def _moments(samples: Floats, hop_s: float) -> Floats:
    """Mean square of the weighted signal in windows of 400 ms, all channels summed; shape (windows,)."""
    channels = np.atleast_2d(np.asarray(samples, dtype=np.float64).T)
    window, hop = int(MOMENT_S * RATE_HZ), int(hop_s * RATE_HZ)
    if channels.shape[1] < window:
        channels = np.pad(channels, ((0, 0), (0, window - channels.shape[1])))
    weighted = signal.sosfilt(K_WEIGHTING, channels, axis=1)
    energy = np.concatenate([[0.0], np.cumsum((weighted**2).sum(axis=0))])
    starts = np.arange(0, len(energy) - window, hop)
    return np.asarray((energy[starts + window] - energy[starts]) / window)


def short_loudness_lufs(samples: Floats, window_s: float) -> float:
    """The largest loudness in windows of so many seconds, without gates: 0.4 is momentary, 3 short-term.

    What is shorter than the window is taken as one window.
    """
    squares = _moments(samples, 0.1)
    many = max(1, round((window_s - MOMENT_S) / 0.1) + 1)
    if many > 1:
        sums = np.concatenate([[0.0], np.cumsum(squares)])
        many = min(many, len(squares))
        squares = (sums[many:] - sums[:-many]) / many
    return float(_lufs(squares).max())


def _lufs(mean_square: Floats) -> Floats:
    return np.asarray(-0.691 + 10 * np.log10(np.maximum(mean_square, 10 ** (SILENCE_LUFS / 10))))


def hit_loudness_lufs(samples: Floats) -> float:
    """The loudest 400 ms of a single hit (mono, or shape (frames, channels)); -120 for silence."""
    return float(_lufs(_moments(samples, 0.02)).max())


def programme_loudness_lufs(samples: Floats) -> float:
    """Measure the integrated loudness of a mix, quiet stretches gated out.

    Parameters
    ----------
    samples
        Shape (frames, channels), 44.1 kHz.

    Returns
    -------
    float
        In LUFS; -120 for silence.

    References
    ----------
    ITU-R BS.1770-4.

    Examples
    --------
    >>> seconds = np.arange(2 * 44_100) / 44_100
    >>> tone = np.sin(2 * np.pi * 997 * seconds)[:, None] * np.ones(2)
    >>> round(programme_loudness_lufs(tone), 1), round(programme_loudness_lufs(tone / 10), 1)
    (0.0, -20.0)
    """
    moments = _moments(samples, 0.1)
    loud = moments[_lufs(moments) > ABSOLUTE_GATE_LUFS]
    if not len(loud):
        return SILENCE_LUFS
    gate = float(_lufs(loud.mean())) + RELATIVE_GATE_LU
    return float(_lufs(loud[_lufs(loud) > gate].mean()))
