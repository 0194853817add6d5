"""Drive: four ways to bend a waveform, four times oversampled, as loud after as before."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy import signal

from easy_pocket.core.cache import ResultCache
from easy_pocket.core.sound.loudness import hit_loudness_lufs
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.oversampling import bent_between, down, up

Floats = npt.NDArray[np.floating]
AnyFloats = npt.NDArray[np.floating]
MOST_INTO_DB = 36.0
LEAN = 0.3  # how far off its middle the lopsided curve works
FLAT = 0.7  # of a step
FEWEST_STEPS, MOST_STEPS = 3.0, 48.0
_levels: ResultCache[float] = ResultCache("drive levels", 1 << 16)


def into(amount_percent: float) -> float:
    """The gain before the curve."""
    return float(10 ** (MOST_INTO_DB * amount_percent / 100 / 20))


def bent(audio: AnyFloats, character: str, amount_percent: float) -> AnyFloats:
    """The curve alone, sample by sample.

    Parameters
    ----------
    audio
        Samples, any shape.
    character
        Name of the curve.
    amount_percent
        How hard it is driven, 0 to 100.

    Returns
    -------
    AnyFloats
        Samples of the same shape.
    """
    gain = into(amount_percent)
    x = audio * gain
    if character == "round":
        return np.asarray(np.tanh(x))
    if character == "lean":
        return np.asarray(np.tanh(x + LEAN) - np.tanh(LEAN))
    if character == "fold":
        return np.asarray(np.sin(x))
    steps = MOST_STEPS * (FEWEST_STEPS / MOST_STEPS) ** (amount_percent / 100)
    return np.asarray(_stairs(np.clip(audio, -1, 1) * steps) / steps)


def _stairs(x: AnyFloats) -> AnyFloats:
    """Whole numbers, with short slopes between them: a hair's difference before makes no whole step after."""
    step = np.floor(x + 0.5)
    beside = x - step
    slope = np.maximum(np.abs(beside) - FLAT / 2, 0) / (1 - FLAT)
    return np.asarray(step + np.sign(beside) * slope)


def matching_gain(character: str, amount_percent: float) -> float:
    """What makes it as loud as it was, over noise shaped like drums; kept by settings."""
    return _levels.get((character, amount_percent), lambda: _matched(character, amount_percent))


def _matched(character: str, amount_percent: float) -> float:
    noise = drum_noise()[None, :]
    driven = down(bent(up(noise), character, amount_percent))
    return float(10 ** ((hit_loudness_lufs(noise.T) - hit_loudness_lufs(driven.T)) / 20))


def drum_noise() -> Floats:
    """Noise with the spectrum and the decay of a drum hit, eight in a second; 1 s, its peak at -6 dB."""
    time = np.arange(RATE_HZ) / RATE_HZ
    noise = np.random.default_rng(3).standard_normal(RATE_HZ)
    low = signal.sosfilt(signal.butter(1, 400, fs=RATE_HZ, output="sos"), noise)
    shaped = (low * 3 + 0.3 * noise) * np.exp(-(time % 0.125) / 0.04)
    return np.asarray(0.5 * shaped / np.abs(shaped).max())


def driven(audio: Floats, settings: Mapping[str, Any]) -> Floats:
    """Shape (2, frames), driven and matched in level."""
    character, amount = str(settings["character"]), float(settings["amount_percent"])
    gain = np.float32(matching_gain(character, amount))
    return bent_between(audio, lambda x: bent(x, character, amount) * gain)
