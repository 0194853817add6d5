"""What surrounds a rendered sound: no DC, a small wooden room, an end without a click."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import signal

from easy_pocket.core.sound.tones import RATE_HZ

END_FADE_S = 0.012
SILENT = 10 ** (-66 / 20)  # of the peak; what is quieter at the end is cut off


@lru_cache(maxsize=1)
def without_dc_filter() -> npt.NDArray[np.float64]:
    """Design the filter that takes out what lies below 25 Hz."""
    return np.asarray(signal.butter(2, 25, "high", fs=RATE_HZ, output="sos"))


@lru_cache(maxsize=1)
def _room_response() -> npt.NDArray[np.float64]:
    """A small wooden room: a few early reflections and a short soft tail."""
    noise = np.random.default_rng(1877)
    t = np.arange(int(0.32 * RATE_HZ)) / RATE_HZ
    tail = noise.standard_normal(len(t)) * np.exp(-t / 0.06) * (1 - np.exp(-t / 0.004))
    tail = signal.sosfilt(signal.butter(1, (300, 5200), "band", fs=RATE_HZ, output="sos"), tail)
    response = tail * 0.05
    for delay_s, level in ((0.0031, 0.22), (0.0057, -0.16), (0.0089, 0.13), (0.0143, -0.09), (0.0212, 0.07)):
        response[int(delay_s * RATE_HZ)] += level
    return np.asarray(response)


def in_room(x: npt.NDArray[np.float64], amount: float) -> npt.NDArray[np.float64]:
    """Add the room to a sound, amount 0 to 1; it rings out after its end."""
    wet = signal.fftconvolve(x, _room_response())
    wet[: len(x)] = amount * wet[: len(x)] + x
    wet[len(x) :] *= amount
    return np.asarray(wet)


def trimmed_end(x: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Cut what cannot be heard off the end, and fade what is left to nothing without a click; shape (frames, channels).

    What was trimmed before stays as it is.
    """
    height = np.abs(x).max(axis=1)
    loud = np.flatnonzero(height > height.max() * SILENT)
    fade = int(END_FADE_S * RATE_HZ)
    end = int(loud[-1]) + fade
    if len(x) <= end and not height[-1]:
        return x
    x = x[: min(end, len(x))].copy()
    fade = min(fade, len(x))
    x[-fade:] *= np.linspace(1, 0, fade)[:, None] ** 2
    return x
