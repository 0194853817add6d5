"""Kits: voices with their sounds, and the audio of a voice struck at a velocity."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass, field
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy import signal

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.sound.models import MODELS, RATE_HZ
from easy_pocket.core.voices import ROLES, check_voice

# A voice is rendered at this many velocities; hits in between use the nearest and a gain.
VELOCITY_ZONES = 8
LOUDNESS_POWER = 1.7  # of velocity: 127 to 64 is about -10 dB
END_FADE_S = 0.012
SILENT = 10 ** (-66 / 20)  # of the peak; what is quieter at the end is cut off

# Peak of the first strokes at full velocity, in dB, by role: kick and backbeat in front, metal behind.
ROLE_LEVEL_DB = {
    "kick": -5.0,
    "snare": -7.0,
    "rim": -11.0,
    "clap": -9.0,
    "hat_closed": -17.0,
    "hat_open": -17.0,
    "hat_pedal": -20.0,
    "tom_high": -9.0,
    "tom_mid": -9.0,
    "tom_low": -8.5,
    "ride": -17.0,
    "crash": -13.0,
    "shaker": -18.0,
    "tambourine": -16.0,
}

Mono = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Sound:
    """A model with its settings; the seed keeps its noise the same everywhere."""

    model: str
    settings: dict[str, float]
    seed: int = 1
    room: float = 0.0  # 0-1, how much of a small wooden room is around it

    def __post_init__(self) -> None:
        if self.model not in MODELS:
            raise BadValueError(f"There is no sound model '{self.model[:30]}'; there are {', '.join(MODELS)}.")

    @cached_property
    def text(self) -> str:
        return json.dumps(asdict(self), sort_keys=True)

    @cached_property
    def key(self) -> str:
        """Content hash: equal sounds have equal keys."""
        return hashlib.sha256(self.text.encode()).hexdigest()[:20]


@dataclass(frozen=True)
class KitVoice:
    """One voice of a kit. level_db is against the role's usual level; pan -1 (left) to 1 (right)."""

    role: str
    sound: Sound
    level_db: float = 0.0
    pan: float = 0.0

    def __post_init__(self) -> None:
        check_voice(self.role)

    @property
    def choke_group(self) -> str | None:
        return ROLES[self.role].choke_group


@dataclass(frozen=True)
class Kit:
    key: str
    name: str
    voices: tuple[KitVoice, ...] = field(default=())

    def voice(self, role: str) -> KitVoice:
        for voice in self.voices:
            if voice.role == role:
                return voice
        raise BadValueError(f"{self.name} has no {ROLES[role].name.lower() if role in ROLES else role}.")

    @property
    def roles(self) -> tuple[str, ...]:
        return tuple(voice.role for voice in self.voices)


def zone_of(velocity: int) -> int:
    return min(velocity * VELOCITY_ZONES // 128, VELOCITY_ZONES - 1)


def zone_velocity(zone: int) -> float:
    """The velocity a zone is rendered at: its middle."""
    return (zone + 0.5) * 128 / VELOCITY_ZONES


def velocity_gain(velocity: int) -> float:
    """Gain on the rendered zone so that level follows velocity smoothly across zones."""
    return float((velocity / zone_velocity(zone_of(velocity))) ** LOUDNESS_POWER)


# What every velocity means, looked up rather than computed anew for each hit; index 0 is not used.
ZONE_OF = tuple(zone_of(velocity) for velocity in range(128))
GAIN_OF = (0.0, *(velocity_gain(velocity) for velocity in range(1, 128)))


@lru_cache(maxsize=1024)
def _render(sound_json: str, role: str, zone: int) -> Mono:
    doc: dict[str, Any] = json.loads(sound_json)
    strength = zone_velocity(zone) / 127
    struck = _raw(doc["model"], doc["settings"], doc["seed"] + 7919 * (zone + 1), doc["room"], strength)
    # The model's own loudness is taken out, so that level follows velocity alone and brightness the model.
    target = 10 ** (ROLE_LEVEL_DB[role] / 20) / 1.414 * strength**LOUDNESS_POWER
    return _trim(struck * (target / _loudest_rms(struck))).astype(np.float32)


def _loudest_rms(x: npt.NDArray[np.float64]) -> float:
    """RMS of the loudest 10 ms of the first half second."""
    window = int(0.010 * RATE_HZ)
    energy = np.concatenate([[0.0], np.cumsum(x[: RATE_HZ // 2] ** 2)])
    return float(np.sqrt((energy[window:] - energy[:-window]).max() / window))


def _raw(model: str, settings: dict[str, float], seed: int, room: float, strength: float) -> npt.NDArray[np.float64]:
    noise = np.random.default_rng(seed)
    x = MODELS[model](settings, strength, noise)
    x = signal.sosfilt(_no_dc(), x)
    if room > 0:
        x = _in_room(x, room)
    return np.asarray(x)


@lru_cache(maxsize=1)
def _no_dc() -> npt.NDArray[np.float64]:
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


def _in_room(x: npt.NDArray[np.float64], amount: float) -> npt.NDArray[np.float64]:
    wet = signal.fftconvolve(x, _room_response())
    wet[: len(x)] = amount * wet[: len(x)] + x
    wet[len(x) :] *= amount
    return np.asarray(wet)


def _trim(x: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Cut what cannot be heard off the end, and fade what is left to nothing without a click."""
    loud = np.flatnonzero(np.abs(x) > np.abs(x).max() * SILENT)
    x = x[: min(int(loud[-1]) + int(END_FADE_S * RATE_HZ), len(x))].copy()
    fade = min(int(END_FADE_S * RATE_HZ), len(x))
    x[-fade:] *= np.linspace(1, 0, fade) ** 2
    return x


def voice_audio(voice: KitVoice, zone: int) -> Mono:
    """Mono audio at 44.1 kHz of a voice struck in a velocity zone (0 softest)."""
    return _render(voice.sound.text, voice.role, zone)


def audio_key(voice: KitVoice, zone: int) -> str:
    """Name of that audio by content: role, sound and zone decide it."""
    return f"{voice.role}-{voice.sound.key}-{zone}"
