"""Spectral flux: how much louder a recording becomes, band by band, from one moment to the next.

A log-magnitude flux against the recent maximum in neighbouring bands, after Böck & Widmer, "Maximum filter vibrato
suppression for onset detection" (DAFx 2013).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy.fft

from easy_pocket.core.compiled import compiled
from easy_pocket.core.listen.signals import RATE_HZ, Floats, Ints, Singles

FLUX_WINDOW, FLUX_HOP = 1024, 256  # 23 ms and 5.8 ms: parts two 16ths at 220 bpm and still sees a kick
FLUX_BANDS, FLUX_LOW_HZ, FLUX_HIGH_HZ = 40, 60.0, 16_000.0
FLUX_PIECE = 64  # frames transformed at a time: they stay near the processor
FLUX_LAG = 2  # frames: 12 ms, half the window
FLUX_FLOOR_DB = -65.0  # below the loudest band; rises under it are room noise


def flux_db(samples: Singles) -> Floats:
    """Mean log-magnitude rise over the bands.

    Parameters
    ----------
    samples
        A signal at RATE_HZ, shape (n,).

    Returns
    -------
    Floats
        Rise in dB, 0 or more, one value per FLUX_HOP.
    """
    count = (FLUX_WINDOW // 2 + len(samples)) // FLUX_HOP + 1
    window = np.hanning(FLUX_WINDOW).astype(np.float32)
    edges, counts = _bands()
    level = np.empty((count, FLUX_BANDS), dtype=np.float32)
    frames = np.empty((FLUX_PIECE, FLUX_WINDOW), dtype=np.float32)
    for start in range(0, count, FLUX_PIECE):
        piece = frames[: min(FLUX_PIECE, count - start)]
        _cut_frames(samples, start * FLUX_HOP - FLUX_WINDOW // 2, window, piece)
        spectrum = scipy.fft.rfft(piece, axis=1).view(np.float32)
        _add_up_bands(spectrum, edges, counts, level[start : start + FLUX_PIECE])
    level += max(float(level.max()), 1e-20) * 10 ** (FLUX_FLOOR_DB / 10)
    np.log10(level, out=level)
    level *= 10
    return _rises(level, FLUX_LAG)


@lru_cache
def _bands() -> tuple[Ints, Singles]:
    """Of FLUX_BANDS log-spaced bands the first bin of an rfft and the one after its last, and how many they are."""
    bins_hz = np.fft.rfftfreq(FLUX_WINDOW, 1 / RATE_HZ)
    edges_hz = np.geomspace(FLUX_LOW_HZ, FLUX_HIGH_HZ, FLUX_BANDS + 1)
    first, last = np.searchsorted(bins_hz, edges_hz[:-1]), np.searchsorted(bins_hz, edges_hz[1:])
    for band in np.flatnonzero(first == last).tolist():  # a band between two bins is the nearer one
        first[band] = np.argmin(np.abs(bins_hz - np.sqrt(edges_hz[band] * edges_hz[band + 1])))
        last[band] = first[band] + 1
    return np.stack([first, last], axis=1), (last - first).astype(np.float32)


@compiled
def _cut_frames(samples: Singles, begin: int, window: Singles, frames: Singles) -> None:
    """Windowed frames from sample `begin` on, FLUX_HOP apart, into `frames`; zeros beyond the ends."""
    count, width = frames.shape
    for frame in range(count):
        at = begin + frame * FLUX_HOP
        if at >= 0 and at + width <= len(samples):
            for step in range(width):
                frames[frame, step] = samples[at + step] * window[step]
        else:
            for step in range(width):
                inside = 0 <= at + step < len(samples)
                frames[frame, step] = samples[at + step] * window[step] if inside else 0.0


@compiled
def _add_up_bands(spectrum: Singles, edges: Ints, counts: Singles, level: Singles) -> None:
    """Mean power of each band of frames whose spectrum lies as real, imaginary, real ..., into `level`."""
    for frame in range(len(spectrum)):
        for band in range(len(edges)):
            power = np.float32(0)
            for bin_ in range(edges[band, 0], edges[band, 1]):
                real, imaginary = spectrum[frame, 2 * bin_], spectrum[frame, 2 * bin_ + 1]
                power += real * real + imaginary * imaginary
            level[frame, band] = power / counts[band]


@compiled
def _rises(level: Singles, lag: int) -> Floats:
    """How far each frame stands above the loudest of three bands `lag` frames before, mean over the bands, in dB."""
    count, bands = level.shape
    found = np.zeros(count)
    for frame in range(lag, count):
        total = 0.0
        for band in range(bands):
            before = level[frame - lag, band]
            if band > 0:
                before = max(before, level[frame - lag, band - 1])
            if band < bands - 1:
                before = max(before, level[frame - lag, band + 1])
            total += max(level[frame, band] - before, 0.0)
        found[frame] = total / bands
    return found
