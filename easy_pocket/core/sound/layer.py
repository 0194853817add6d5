"""A layer: a sound and how it is cut, tuned, filtered and placed within its voice."""

from __future__ import annotations

from dataclasses import dataclass, fields
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
import soxr
from scipy import signal

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import SampleSource, Sound, no_samples, sound_from_doc, struck
from easy_pocket.core.sound.tones import RATE_HZ

CUT_S = 0.004  # a layer that is cut short fades out over this
NO_LOW_CUT_HZ, NO_HIGH_CUT_HZ = 20.0, 20_000.0
LIMITS: dict[str, tuple[float, float, str, str]] = {
    "level_db": (-60.0, 12.0, "level", "dB"),
    "tune_cents": (-2400.0, 2400.0, "tune", "cents"),
    "start_ms": (0.0, 2000.0, "start", "ms"),
    "length_ms": (2.0, 8000.0, "length", "ms"),
    "fade_in_ms": (0.0, 1000.0, "fade-in", "ms"),
    "low_cut_hz": (NO_LOW_CUT_HZ, 8000.0, "low cut", "Hz"),
    "high_cut_hz": (200.0, NO_HIGH_CUT_HZ, "high cut", "Hz"),
    "delay_ms": (0.0, 200.0, "delay", "ms"),
    "velocity_low": (1, 127, "lowest velocity", ""),
    "velocity_high": (1, 127, "highest velocity", ""),
}


@dataclass(frozen=True)
class Layer:
    """One sound of a voice. length_ms None: as long as it rings. Times are of the layer, after tuning.

    mono: a stereo sound is folded to the middle, its louder side alone where the two would cancel.
    """

    sound: Sound
    name: str = ""
    level_db: float = 0.0
    tune_cents: float = 0.0
    start_ms: float = 0.0
    length_ms: float | None = None
    fade_in_ms: float = 0.0
    low_cut_hz: float = NO_LOW_CUT_HZ
    high_cut_hz: float = NO_HIGH_CUT_HZ
    delay_ms: float = 0.0
    reverse: bool = False
    invert: bool = False
    mono: bool = False
    velocity_low: int = 1
    velocity_high: int = 127

    def __post_init__(self) -> None:
        for name, (low, high, words, unit) in LIMITS.items():
            value = getattr(self, name)
            if value is not None:
                require_range(f"The {words} of a layer", value, low, high, unit)
        if self.velocity_low > self.velocity_high:
            raise BadValueError(
                f"The layer sounds from velocity {self.velocity_low} to {self.velocity_high}: "
                "the lowest must not be above the highest."
            )


def layer_from_doc(doc: dict[str, Any]) -> Layer:
    """Read a layer as it is stored; fields that are not known are passed over."""
    known = {field.name for field in fields(Layer)}
    return Layer(**{**{k: v for k, v in doc.items() if k in known}, "sound": sound_from_doc(doc["sound"])})


@lru_cache(maxsize=256)
def _cut_filter(kind: str, corner_hz: float) -> npt.NDArray[np.float64]:
    return np.asarray(signal.butter(2, corner_hz, kind, fs=RATE_HZ, output="sos"))


def layer_audio(layer: Layer, velocity: float, brightness: float, samples: SampleSource = no_samples) -> Frames:
    """What the layer gives when it is struck with a velocity, its delay left out.

    Parameters
    ----------
    layer
        Sound and settings of the layer.
    velocity
        0 to 127.
    brightness
        How far softer hits get darker, 0 to 1.
    samples
        Gives the recording of a sound by its key.

    Returns
    -------
    Frames
        Samples at 44.1 kHz, shape (frames, 1 or 2).
    """
    struck_audio = struck(layer.sound, velocity, brightness, samples)
    x = (folded_to_mono(struck_audio) if layer.mono else struck_audio).astype(np.float64)
    if layer.tune_cents:
        x = soxr.resample(x, RATE_HZ * 2 ** (layer.tune_cents / 1200), RATE_HZ, quality="HQ")
    if layer.reverse:
        x = x[::-1]
    x = x[round(layer.start_ms * RATE_HZ / 1000) :].copy()
    if layer.length_ms is not None:
        whole, fade = round(layer.length_ms * RATE_HZ / 1000), round(CUT_S * RATE_HZ)
        if len(x) > whole:
            x = x[: whole + fade]
            x[whole:] *= np.linspace(1, 0, len(x) - whole)[:, None]
    fade_in = min(round(layer.fade_in_ms * RATE_HZ / 1000), len(x))
    if fade_in:
        x[:fade_in] *= np.linspace(0, 1, fade_in)[:, None]
    if layer.low_cut_hz > NO_LOW_CUT_HZ:
        x = signal.sosfilt(_cut_filter("high", layer.low_cut_hz), x, axis=0)
    if layer.high_cut_hz < NO_HIGH_CUT_HZ:
        x = signal.sosfilt(_cut_filter("low", layer.high_cut_hz), x, axis=0)
    gain = 10 ** (layer.level_db / 20) * (-1 if layer.invert else 1)
    return np.asarray(x * gain, dtype=np.float32)


def folded_to_mono(x: Frames) -> Frames:
    """One channel as loud as both: their sum, or where they cancel the louder one alone. Shape (frames, 1)."""
    if x.shape[1] == 1:
        return x
    both = float((x**2).sum())
    summed = x.sum(axis=1, keepdims=True)
    power = float((summed**2).sum())
    if power < 0.1 * both:
        summed = x[:, [int(np.argmax((x**2).sum(axis=0)))]]
        power = float((summed**2).sum())
    return np.asarray(summed * np.sqrt(both / max(power, 1e-20)), dtype=np.float32)


def placed(layers: list[tuple[Layer, Frames]]) -> npt.NDArray[np.float32]:
    """The layers on one time axis with their delays: shape (layers, frames, channels).

    A layer of one channel among stereo ones goes to the middle, as loud as it was.
    """
    delays = [round(layer.delay_ms * RATE_HZ / 1000) for layer, _ in layers]
    length = max((delay + len(x) for delay, (_, x) in zip(delays, layers, strict=True)), default=0)
    channels = max((x.shape[1] for _, x in layers), default=1)
    lines = np.zeros((len(layers), length, channels), dtype=np.float32)
    for line, delay, (_, x) in zip(lines, delays, layers, strict=True):
        line[delay : delay + len(x)] = x if x.shape[1] == channels else x * np.float32(np.sqrt(0.5))
    return lines
