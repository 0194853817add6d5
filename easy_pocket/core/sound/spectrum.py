"""Energy by thirds of an octave, the way the ear and the layer check look at a sound."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.sound.tones import RATE_HZ

Floats = npt.NDArray[np.float64]

# Nominal centres after IEC 61260, 25 Hz to 20 kHz; the exact ones are 1000 x 10^(k/10).
THIRD_NAMES = (
    "25", "31", "40", "50", "63", "80", "100", "125", "160", "200", "250", "315", "400", "500", "630", "800", "1 k",
    "1.25 k", "1.6 k", "2 k", "2.5 k", "3.15 k", "4 k", "5 k", "6.3 k", "8 k", "10 k", "12.5 k", "16 k", "20 k",
)  # fmt: skip
THIRD_HZ = 1000.0 * 10.0 ** (np.arange(-16, 14) / 10)
_EDGES_HZ = 1000.0 * 10.0 ** ((np.arange(-16, 15) - 0.5) / 10)
SPECTRUM_FRAMES = 16_384  # 0.37 s: thirds at 25 Hz still hold two bins
FLOOR_DB = -120.0


def third_energy(x: npt.NDArray[np.floating], frames: int = SPECTRUM_FRAMES) -> Floats:
    """Energy in each third of an octave of the first `frames`, all channels summed: shape (30,).

    x: shape (n,) or (n, channels). Their sum is the energy of what was looked at, but for what lies outside the bands.
    """
    columns = x[:frames] if x.ndim > 1 else x[:frames, None]
    power = (np.abs(np.fft.rfft(columns, frames, axis=0)) ** 2).sum(axis=1) * 2 / frames
    bins = np.clip(np.searchsorted(_EDGES_HZ, np.arange(len(power)) * RATE_HZ / frames) - 1, -1, len(THIRD_HZ))
    inside = (bins >= 0) & (bins < len(THIRD_HZ))
    energy = np.bincount(bins[inside], power[inside], minlength=len(THIRD_HZ))[: len(THIRD_HZ)]
    return energy.astype(np.float64)


def decibels(energy: npt.NDArray[np.floating]) -> Floats:
    """Give energies in dB, floored."""
    return np.asarray(np.maximum(10 * np.log10(np.maximum(energy, 1e-12)), FLOOR_DB), dtype=np.float64)
