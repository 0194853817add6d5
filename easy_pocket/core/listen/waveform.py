"""Audio as it is drawn: highest and lowest values by stretch, and its spectrum over time."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import require_range

PEAKS_EVERY = 256  # frames
BANDS = 72
LOWEST_HZ, HIGHEST_HZ = 40.0, 16_000.0
WINDOW = 2048
FLOOR_DB = -66.0
MOST_COLUMNS = 1600

Ints16 = npt.NDArray[np.int16]


def as_int16(mono: npt.NDArray[np.floating]) -> Ints16:
    """Its loudest sample at full scale; shape (frames,)."""
    loudest = max(float(np.abs(mono).max(initial=0.0)), 1e-9)
    return np.asarray(np.rint(mono * (32767 / loudest)), dtype=np.int16)


def peaks(mono: Ints16, every: int = PEAKS_EVERY) -> npt.NDArray[np.int8]:
    """Lowest and highest of each stretch, full scale 127: shape (stretches, 2)."""
    edges = np.arange(0, len(mono), every)
    low, high = np.minimum.reduceat(mono, edges), np.maximum.reduceat(mono, edges)
    # Rounded outwards, so that a sample that is there is seen.
    scaled = np.stack([np.floor(low / 258.0), np.ceil(high / 258.0)], axis=1)
    return np.asarray(np.clip(scaled, -127, 127), dtype=np.int8)


def spectrum(mono: Ints16, rate_hz: int, start: int, count: int, columns: int) -> npt.NDArray[np.uint8]:
    """Level by band and column between two samples.

    Shape (BANDS, columns), lowest band first, 0 at FLOOR_DB, 255 at full scale.

    Each column is the power of a Hann window round its middle, shorter where columns lie closer than a window, in
    bands spaced evenly on a logarithmic axis.

    Parameters
    ----------
    mono
        Samples, shape (n,).
    rate_hz
        Sample rate in Hz.
    start
        First sample.
    count
        How many samples.
    columns
        How many columns.

    Returns
    -------
    npt.NDArray[np.uint8]
        Levels, lowest band first.
    """
    require_range("The number of columns", columns, 1, MOST_COLUMNS)
    size = int(np.clip(1 << int(np.ceil(np.log2(max(4 * count / columns, 1)))), 256, WINDOW))
    middles = np.rint(start + count * (np.arange(columns) + 0.5) / columns).astype(np.intp)
    places = middles[:, None] + np.arange(-(size // 2), size // 2)[None, :]
    pieces = np.where((places >= 0) & (places < len(mono)), mono[np.clip(places, 0, len(mono) - 1)], 0) / 32768.0
    window = np.hanning(size + 2)[1:-1]
    power = np.abs(np.fft.rfft(pieces * window, axis=1)) ** 2 / (window.sum() / 2) ** 2
    edges_hz = np.geomspace(LOWEST_HZ, min(HIGHEST_HZ, rate_hz / 2), BANDS + 1)
    below = np.concatenate([np.zeros((columns, 1)), np.cumsum(power, axis=1)], axis=1)
    at = np.clip(edges_hz * size / rate_hz + 0.5, 0, below.shape[1] - 1)
    whole = np.minimum(at.astype(np.intp), below.shape[1] - 2)
    share = at - whole
    summed = below[:, whole] * (1 - share) + below[:, whole + 1] * share
    level_db = 10 * np.log10(np.diff(summed, axis=1) + 1e-12)
    return np.array(np.clip(255 * (1 - level_db / FLOOR_DB), 0, 255).T, dtype=np.uint8, order="C")
