"""What drum models are made of: times, sines that die away, filters, drive; mono float64 at 44.1 kHz."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import signal

RATE_HZ = 44_100
BLOCK = 512
Floats = npt.NDArray[np.float64]
Settings = Mapping[str, float]
Model = Callable[[Settings, float, np.random.Generator], Floats]


def times(length_s: float) -> Floats:
    """Times of the samples of so many seconds, in seconds."""
    return np.arange(int(length_s * RATE_HZ)) / RATE_HZ


def decay(t: Floats, tau_s: float) -> Floats:
    """exp(-t / tau_s), for t as `times` makes it.

    A short run times one value for each block is many times faster than one exponential after another, and the same to
    1e-12.
    """
    rate = -1 / (tau_s * RATE_HZ)
    blocks = np.exp(rate * BLOCK * np.arange(-(-len(t) // BLOCK)))
    return np.asarray(np.outer(blocks, np.exp(rate * np.arange(BLOCK))).ravel()[: len(t)])


def tones(t: Floats, hz: Floats, tau_s: Floats, phase: Floats, level: Floats) -> Floats:
    """Sines that die away, summed: one matrix product of the turns at each block with those within a block."""
    rate = -1 / (tau_s * RATE_HZ) + 2j * np.pi * hz / RATE_HZ
    starts = np.exp(np.outer(BLOCK * np.arange(-(-len(t) // BLOCK)), rate) + 1j * phase) * level
    within = np.exp(np.outer(rate, np.arange(BLOCK)))
    turned = np.hstack((starts.imag, starts.real)) @ np.vstack((within.real, within.imag))
    return np.asarray(turned.ravel()[: len(t)])


def tone(t: Floats, hz: float, tau_s: float = np.inf, phase: float = 0.0) -> Floats:
    """One sine that dies away with tau_s."""
    return tones(t, *(np.array([value]) for value in (hz, tau_s, phase, 1.0)))


@lru_cache(maxsize=256)
def _sos(kind: str, low_hz: float, high_hz: float, order: int) -> Floats:
    corner = (low_hz, high_hz) if kind == "band" else (low_hz or high_hz)
    return np.asarray(signal.butter(order, corner, kind, fs=RATE_HZ, output="sos"))


def high_pass(x: Floats, hz: float, order: int = 2) -> Floats:
    """A Butterworth high-pass; the corner is rounded to whole Hz."""
    return np.asarray(signal.sosfilt(_sos("high", round(hz), 0, order), x))


def low_pass(x: Floats, hz: float, order: int = 1) -> Floats:
    """A Butterworth low-pass; the corner is rounded to whole Hz, 20 kHz at most."""
    return np.asarray(signal.sosfilt(_sos("low", 0, round(min(hz, 20_000)), order), x))


def band_pass(x: Floats, low_hz: float, high_hz: float, order: int = 1) -> Floats:
    """A Butterworth band-pass; the corners are rounded to whole Hz."""
    return np.asarray(signal.sosfilt(_sos("band", round(low_hz), round(high_hz), order), x))


def swept_sine(t: Floats, start_hz: float, end_hz: float, sweep_s: float) -> Floats:
    """A sine falling from start to end, the fall dying away with sweep_s."""
    phase = end_hz * t + (start_hz - end_hz) * sweep_s * (1 - np.exp(-t / sweep_s))
    return np.asarray(np.sin(2 * np.pi * phase))


def driven(x: Floats, amount: float) -> Floats:
    """Bent by a tanh; amount 0 (hardly) to 1 (hard), full scale stays full scale."""
    return np.asarray(np.tanh(x * (1 + 3 * amount)) / np.tanh(1 + 3 * amount))
