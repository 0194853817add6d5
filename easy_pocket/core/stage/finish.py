"""A mix made ready to be taken away: its loudness, its rate, its bits."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import soxr

from easy_pocket.core.audio import Audio
from easy_pocket.core.sound.loudness import SILENCE_LUFS, programme_loudness_lufs
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.mix_stage import under_ceiling

Floats = npt.NDArray[np.floating]
TRIES = 6  # to reach a loudness: the ceiling takes some of what is given
NEAR_LU = 0.05
MOST_GAIN_DB = 30.0
AROUND = 8192  # frames before and after a loop that its samples at another rate are made of


def at_loudness(whole: Floats, ceiling_db: float, lufs: float | None, *, loops: bool) -> Floats:
    """The sound under its ceiling, as loud as asked where the ceiling lets it (None: as it is).

    Parameters
    ----------
    whole
        Samples, shape (2, frames).
    ceiling_db
        True peak that is not passed, in dBTP.
    lufs
        Loudness that is wanted (BS.1770); None leaves it.
    loops
        Whether the end goes on at the start.

    Returns
    -------
    Floats
        Samples, shape (2, frames).
    """
    audio = under_ceiling(whole, ceiling_db, loops=loops)[0]
    if lufs is None:
        return audio
    gain_db = 0.0
    for _ in range(TRIES):
        measured = programme_loudness_lufs(audio.T)
        if measured <= SILENCE_LUFS or abs(lufs - measured) < NEAR_LU:
            break
        gain_db = min(gain_db + lufs - measured, MOST_GAIN_DB)
        audio = under_ceiling(whole * 10 ** (gain_db / 20), ceiling_db, loops=loops)[0]
    return audio


def at_rate_hz(audio: Floats, rate_hz: int, *, loops: bool) -> Floats:
    """Shape (2, frames) at 44.1 kHz to another rate; a loop stays exactly as long, and its seam stays closed.

    Parameters
    ----------
    audio
        Samples at 44.1 kHz, shape (2, frames).
    rate_hz
        The rate that is wanted, in Hz.
    loops
        Whether the end goes on at the start.

    Returns
    -------
    Floats
        Samples, shape (2, frames at the new rate).
    """
    if rate_hz == RATE_HZ:
        return audio
    frames = audio.shape[1]
    wanted = round(frames * rate_hz / RATE_HZ)
    if not frames:
        return np.zeros((2, 0))
    if not loops:
        return np.asarray(soxr.resample(audio.T, RATE_HZ, rate_hz, "VHQ").T[:, :wanted])
    before = (AROUND // 441 + 1) * 441  # a whole number of samples at any of our rates
    around = np.take(audio, np.arange(-before, frames + AROUND), axis=1, mode="wrap")
    made = soxr.resample(around.T, RATE_HZ, rate_hz, "VHQ").T
    first = round(before * rate_hz / RATE_HZ)
    return np.asarray(made[:, first : first + wanted])


def dithered(audio: Floats, bits: int) -> Floats:
    """With triangular noise of two steps of 16 bits, so that what is soft is not lost in steps; else as it is."""
    if bits != 16:
        return audio
    dice = np.random.default_rng(audio.shape[1])
    step = 1 / (1 << 15)
    noise = dice.random(audio.shape) - dice.random(audio.shape)
    silent = (audio == 0).all(axis=0)
    return np.asarray(audio + np.where(silent, 0.0, noise * step))


def as_file_audio(audio: Floats, name: str, *, rate_hz: int, bits: int, loops: bool) -> Audio:
    """Ready to be written: at a rate, dithered for its bits.

    Parameters
    ----------
    audio
        Samples at 44.1 kHz, shape (2, frames).
    name
        What it is called.
    rate_hz
        The rate that is wanted, in Hz.
    bits
        16, 24 or 32; 16 is dithered.
    loops
        Whether the end goes on at the start.

    Returns
    -------
    Audio
        Audio that can be written as it is.
    """
    samples = dithered(at_rate_hz(audio, rate_hz, loops=loops), bits)
    return Audio(np.ascontiguousarray(samples.T, dtype=np.float32), rate_hz, name)
