"""What a sound is like, measured: bright or dark, short or long, pitched or noisy, and where its energy lies."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.sound.loudness import hit_loudness_lufs
from easy_pocket.core.sound.spectrum import THIRD_HZ, decibels, third_energy
from easy_pocket.core.sound.tones import RATE_HZ

Floats = npt.NDArray[np.float64]
Audio2d = npt.NDArray[np.floating]

PICTURE_COLUMNS = 56
ENVELOPE_S = 0.001
GONE_DB = 40.0  # a sound has ended where it stays this far below its peak
PITCH_LOW_HZ, PITCH_HIGH_HZ = 30.0, 2500.0
CLEAR_PITCH = 0.55  # of the autocorrelation; below this nobody would sing it back


@dataclass(frozen=True)
class Character:
    """length_s until it is 40 dB down.

    Bright_hz, the middle of its energy on a pitch scale; noisy 0 (pitched) to 1; pitch_hz or None; peak 0-1; thirds_db,
    shape (30,), the loudest 0; picture, peaks in equal steps of time, 0-1.
    """

    length_s: float
    bright_hz: float
    noisy: float
    pitch_hz: float | None
    peak: float
    loudness_lufs: float
    thirds_db: Floats
    picture: Floats


def measure(x: Audio2d) -> Character:
    """x: audio at 44.1 kHz, shape (frames, channels). Silence gives length 0, noisy 1 and no pitch."""
    mono = x.mean(axis=1).astype(np.float64) if x.shape[1] > 1 else x[:, 0].astype(np.float64)
    if not (mono**2).sum() > 0.05 * float((x**2).sum() / x.shape[1]):
        mono = x[:, int(np.argmax((x**2).sum(axis=0)))].astype(np.float64)
    peak = float(np.abs(mono).max(initial=0.0))
    energy = third_energy(x)
    if peak < 1e-6:
        return Character(0.0, 1000.0, 1.0, None, peak, -120.0, decibels(energy), np.zeros(PICTURE_COLUMNS))
    weights = energy / energy.sum()
    pitch_hz, clarity = _pitch(mono)
    return Character(
        length_s=length_s(mono),
        bright_hz=float(np.exp((weights * np.log(THIRD_HZ)).sum())),
        noisy=float(np.clip(1 - clarity, 0, 1)),
        pitch_hz=pitch_hz if clarity > CLEAR_PITCH else None,
        peak=peak,
        loudness_lufs=hit_loudness_lufs(x),
        thirds_db=decibels(energy / energy.max()),
        picture=_picture(mono / peak),
    )


def envelope(mono: Floats) -> Floats:
    """Peak level in steps of 1 ms, shape (ms,)."""
    step = int(ENVELOPE_S * RATE_HZ)
    padded = np.pad(np.abs(mono), (0, -len(mono) % step))
    return np.asarray(padded.reshape(-1, step).max(axis=1))


def length_s(mono: Floats, gone_db: float = GONE_DB) -> float:
    """How long until it stays this far below its peak."""
    levels = envelope(mono)
    return float((np.flatnonzero(levels >= levels.max() * 10 ** (-gone_db / 20))[-1] + 1) * ENVELOPE_S)


def _pitch(mono: Floats) -> tuple[float, float]:
    """Pitch in Hz and how clear it is, 0-1: the highest peak of the autocorrelation, 15 to 200 ms after the attack."""
    piece = mono[int(0.015 * RATE_HZ) : int(0.200 * RATE_HZ)]
    if len(piece) < 1024:
        piece = mono[: max(len(mono), 1024)]
    piece = piece - piece.mean()
    size = 1 << (2 * len(piece) - 1).bit_length()
    spectrum = np.abs(np.fft.rfft(piece, size)) ** 2
    correlation = np.fft.irfft(spectrum)[: len(piece)]
    if correlation[0] <= 0:
        return 0.0, 0.0
    # Less and less of the piece overlaps as the lag grows; what is left of its energy says how much.
    energy = np.concatenate([[0.0], np.cumsum(piece**2)])
    total = energy[-1]
    lags = np.arange(len(piece))
    overlap = np.sqrt(np.maximum(energy[::-1][lags], 1e-12) * np.maximum(total - energy[lags], 1e-12))
    clear = correlation / np.maximum(overlap, 0.02 * total)
    low, high = int(RATE_HZ / PITCH_HIGH_HZ), min(int(RATE_HZ / PITCH_LOW_HZ), len(piece) * 2 // 3)
    inside = clear[low:high]
    if len(inside) < 3:
        return 0.0, 0.0
    peaks = np.flatnonzero((inside[1:-1] >= inside[:-2]) & (inside[1:-1] > inside[2:])) + 1
    if not len(peaks):
        return 0.0, 0.0
    best = inside[peaks].max()
    if best <= 0:  # it is likest to itself turned over: no period at all
        return 0.0, 0.0
    lag = low + int(peaks[np.flatnonzero(inside[peaks] >= 0.9 * best)[0]])  # the first of equals is the period itself
    before, at, after = clear[lag - 1 : lag + 2]
    bend = before - 2 * at + after
    lag_exact = lag + (0.5 * (before - after) / bend if bend else 0.0)
    return float(RATE_HZ / lag_exact), float(np.clip(best, 0, 1))


def _picture(mono: Floats) -> Floats:
    """The first 0.6 s in equal columns, the highest peak in each."""
    piece = np.abs(np.pad(mono[: int(0.6 * RATE_HZ)], (0, max(0, int(0.6 * RATE_HZ) - len(mono)))))
    edges = np.linspace(0, len(piece), PICTURE_COLUMNS + 1).astype(int)
    return np.maximum.reduceat(piece, edges[:-1])
