"""A sound: a model with its settings, or recorded audio by velocity; and what it gives when struck."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy import signal

from easy_pocket.core.cache import ResultCache
from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.sound.controls import CONTROLS, check_settings
from easy_pocket.core.sound.loudness import hit_loudness_lufs
from easy_pocket.core.sound.models import MODELS
from easy_pocket.core.sound.room import in_room, without_dc_filter
from easy_pocket.core.sound.sample_format import Frames, fixed
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.sound.velocity import HARD_VELOCITY, strength_of, zone_of

SampleSource = Callable[[str], Frames]  # recorded audio by content hash

SAMPLED = "sampled"
REFERENCE_LUFS = -20.0  # of every sound struck hard, so that sounds can be exchanged without touching a fader
MAX_SAMPLES = 64
DARKEST_HZ, BRIGHTEST_HZ = 1_200.0, 18_000.0  # a single recording struck softly loses what is above
STRUCK_BYTES = 384 << 20

LEVELS_BYTES = 4 << 20
STROKE_SPREAD = {"tune_hz": 0.002, "base_hz": 0.002, "tone_hz": 0.01, "bright_hz": 0.01, "length_s": 0.03}
SEED_APART = 1_000_003  # between the strokes of one sound

_struck: ResultCache[Frames] = ResultCache("sounds, struck", STRUCK_BYTES)
_levels: ResultCache[tuple[float, float]] = ResultCache(
    "levels of sounds", LEVELS_BYTES
)  # of the hardest hit, by content


@dataclass(frozen=True)
class Sample:
    """Recorded audio for velocities low to high."""

    audio: str
    low: int = 1
    high: int = 127

    def __post_init__(self) -> None:
        require_range("The lowest velocity", self.low, 1, 127)
        require_range("The highest velocity", self.high, self.low, 127)


@dataclass(frozen=True)
class Sound:
    """A model with its settings (the seed keeps its noise the same everywhere), or samples, softest first.

    levelled: the samples differ in loudness as they were recorded, and are brought to one level, so that velocity
    alone decides; otherwise their differences stay (audio that was already made by velocity).
    """

    model: str
    settings: dict[str, float]
    seed: int = 1
    room: float = 0.0  # 0-1, how much of a small wooden room is around it
    samples: tuple[Sample, ...] = ()
    levelled: bool = True

    def __post_init__(self) -> None:
        if self.model not in MODELS and self.model != SAMPLED:
            raise BadValueError(f"There is no sound model '{self.model[:30]}'; there are {', '.join(MODELS)}.")
        if (self.model == SAMPLED) != bool(self.samples):
            raise BadValueError("A sampled sound needs audio, and only a sampled sound has any.")
        require_range("The number of samples of a sound", len(self.samples), 0, MAX_SAMPLES)
        require_range("The room around a sound", self.room, 0.0, 1.0)
        if self.model != SAMPLED:
            check_settings(self.model, self.settings)

    @cached_property
    def text(self) -> str:
        return json.dumps(asdict(self), sort_keys=True)

    @cached_property
    def key(self) -> str:
        """Content hash: equal sounds have equal keys."""
        return hashlib.sha256(self.text.encode()).hexdigest()[:20]

    @property
    def audio_hashes(self) -> tuple[str, ...]:
        return tuple(sample.audio for sample in self.samples)


def sound_from_doc(doc: dict[str, Any]) -> Sound:
    """The inverse of dataclasses.asdict; documents from before there were samples are read too."""
    known = {name: value for name, value in doc.items() if name in Sound.__dataclass_fields__}
    return Sound(**{**known, "samples": tuple(Sample(**sample) for sample in doc.get("samples", ()))})


def sampled(audio: str) -> Sound:
    """A sound of one recording, struck at every velocity."""
    return Sound(SAMPLED, {}, samples=(Sample(audio),))


def no_samples(audio: str) -> Frames:
    """Stand in where no recordings are at hand: raises BadValueError."""
    raise BadValueError(f"The audio {audio[:12]} of a sampled sound is not at hand here.")


def stroke_of(sound: Sound, number: int) -> Sound:
    """Another stroke of a model, 1, 2, ...: other noise, a trifle of another tune and length. A recording stays."""
    if sound.model == SAMPLED:
        return sound
    dice = np.random.default_rng([sound.seed, number])
    settings = dict(sound.settings)
    for name, spread in STROKE_SPREAD.items():
        off = float(np.clip(dice.standard_normal(), -2, 2))
        if name in settings:
            control = CONTROLS[sound.model][name]
            settings[name] = float(np.clip(settings[name] * (1 + spread * off), control.low, control.high))
    return replace(sound, settings=settings, seed=sound.seed + SEED_APART * number)


def in_key(sound: Sound, pitch_class: int) -> Sound:
    """The sound tuned to the nearest note of this name (0 = C ... 11 = B); one without a tune stays as it is."""
    tune_hz = sound.settings.get("tune_hz")
    if tune_hz is None:
        return sound
    note = 69 + 12 * np.log2(tune_hz / 440)
    shift = (pitch_class - note + 6) % 12 - 6
    control = CONTROLS[sound.model]["tune_hz"]
    tuned = float(np.clip(tune_hz * 2 ** (shift / 12), control.low, control.high))
    return replace(sound, settings={**sound.settings, "tune_hz": tuned})


def struck(sound: Sound, velocity: float, brightness: float, samples: SampleSource = no_samples) -> Frames:
    """The sound struck with a velocity: at the same level for all of them, -20 LUFS for the hardest.

    brightness 0-1 says how far softer hits get darker; the level itself is the voice's business. Shape (frames, 1
    or 2).

    Parameters
    ----------
    sound
        The sound.
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

    Raises
    ------
    BadValueError
        When a recording it needs is not at hand.
    """
    brightness = round(brightness, 3)
    if brightness == 0:
        velocity = HARD_VELOCITY  # every hit is the hardest one, to the sample
    key = f"{sound.key}-{velocity:g}-{brightness}"
    if sound.model == SAMPLED:
        return _struck.get(key, lambda: fixed(_recorded(sound, velocity, brightness, samples)))
    return _struck.get(key, lambda: fixed(_modelled_and_levelled(sound, velocity, brightness)))


def _modelled_and_levelled(sound: Sound, velocity: float, brightness: float) -> Frames:
    name = f"{sound.key}-{brightness}"
    x = _modelled(sound, velocity, brightness)
    level = _levels.get(
        name, lambda: _level(x if velocity == HARD_VELOCITY else _modelled(sound, HARD_VELOCITY, brightness))
    )
    return _levelled(x, *level)


def _modelled(sound: Sound, velocity: float, brightness: float) -> npt.NDArray[np.float64]:
    strength = 1 - brightness * (1 - strength_of(velocity))
    noise = np.random.default_rng(sound.seed + 7919 * (zone_of(int(velocity)) + 1))
    x = signal.sosfilt(without_dc_filter(), MODELS[sound.model](sound.settings, strength, noise))
    return np.asarray(in_room(x, sound.room) if sound.room > 0 else x)[:, None]


def _level(hardest: npt.NDArray[np.floating[Any]]) -> tuple[float, float]:
    """Of a sound struck as hard as it can be: the gain to the reference, and its loudest RMS."""
    return float(10 ** ((REFERENCE_LUFS - hit_loudness_lufs(hardest)) / 20)), loudest_rms(hardest)


def clear_struck() -> None:
    """Forget every sound computed so far; for measuring."""
    _struck.clear()
    _levels.clear()


def _recorded(sound: Sound, velocity: float, brightness: float, samples: SampleSource) -> Frames:
    strength = 1 - brightness * (1 - strength_of(velocity))
    wanted = velocity if brightness == 1 else float(np.clip(strength * 127, 1, 127))
    chosen = min(sound.samples, key=lambda one: max(one.low - wanted, wanted - one.high, 0))
    x = samples(chosen.audio).astype(np.float64)
    hardest = sound.samples[-1].audio
    to_reference, hardest_rms = _levels.get(hardest, lambda: _level(samples(hardest)))
    if not sound.levelled:
        return np.asarray(x * to_reference, dtype=np.float32)
    if len(sound.samples) == 1 and strength < strength_of(HARD_VELOCITY):
        corner_hz = DARKEST_HZ * (BRIGHTEST_HZ / DARKEST_HZ) ** strength
        x = signal.sosfilt(signal.butter(1, corner_hz, "low", fs=RATE_HZ, output="sos"), x, axis=0)
    return _levelled(x, to_reference, hardest_rms)


def _levelled(x: npt.NDArray[np.float64], to_reference: float, hardest_rms: float) -> Frames:
    """X at the level the hardest hit has when it is brought to the reference: equal in their loudest 10 ms."""
    return np.asarray(x * (to_reference * hardest_rms / loudest_rms(x)), dtype=np.float32)


def loudest_rms(x: npt.NDArray[np.floating[Any]]) -> float:
    """RMS of the loudest 10 ms of the first half second, all channels summed by energy."""
    window = int(0.010 * RATE_HZ)
    head = np.asarray(x[: RATE_HZ // 2], dtype=np.float64)
    energy = np.concatenate([[0.0], np.cumsum((head**2).sum(axis=1) if head.ndim > 1 else head**2)])
    if len(energy) <= window:
        return max(float(np.sqrt(energy[-1] / window)), 1e-9)
    return max(float(np.sqrt((energy[window:] - energy[:-window]).max() / window)), 1e-9)
