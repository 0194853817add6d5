"""Kits: voices made of layers, and the audio of a voice struck at a velocity."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass, field, fields, replace
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.core.cache import ResultCache
from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.pattern.voices import GLYPHS, ROLES, SLICES, check_voice
from easy_pocket.core.sound.layer import Layer, layer_audio, layer_from_doc, placed
from easy_pocket.core.sound.room import trimmed_end
from easy_pocket.core.sound.sample_format import Frames, fixed
from easy_pocket.core.sound.sound import (
    REFERENCE_LUFS,
    SAMPLED,
    SampleSource,
    Sound,
    in_key,
    loudest_rms,
    no_samples,
    sound_from_doc,
    stroke_of,
)
from easy_pocket.core.sound.velocity import Stretch, stretches

MAX_LAYERS = 4
MAX_ALTERNATES = 4
MAX_UNITS = 8
FULL_SCALE = 0.98
KNEE = 0.6
CACHE_BYTES = 256 << 20

# Loudness of one hard hit, by role: kick and backbeat in front, metal behind.
ROLE_LUFS = {
    "kick": -17.0,
    "snare": -18.0,
    "rim": -24.5,
    "clap": -19.5,
    "hat_closed": -31.5,
    "hat_open": -26.5,
    "hat_pedal": -34.0,
    "tom_high": -21.5,
    "tom_mid": -20.5,
    "tom_low": -20.5,
    "ride": -22.5,
    "crash": -17.0,
    "shaker": -30.0,
    "tambourine": -28.0,
    "conga_high": -22.5,
    "conga_low": -22.0,
    "wood": -27.0,
    "bell": -26.0,
    "sweep": -22.0,
    **dict.fromkeys(SLICES, REFERENCE_LUFS),
}
NEXT_STROKE = 8  # added to the number of an alternate sound
LIMITS: dict[str, tuple[float, float, str, str]] = {
    "level_db": (-60.0, 12.0, "level", "dB"),
    "pan": (-1.0, 1.0, "pan", ""),
    "drive": (0.0, 1.0, "drive", ""),
    "velocity_level": (0.0, 1.0, "velocity to level", ""),
    "velocity_bright": (0.0, 1.0, "velocity to brightness", ""),
    "vary_cents": (0.0, 100.0, "tune from hit to hit", "cents"),
    "vary_db": (0.0, 6.0, "level from hit to hit", "dB"),
    "strokes": (1, 6, "number of strokes in turn", ""),
    "note": (0, 127, "MIDI note", ""),
    "key_note": (0, 11, "key note", ""),
    "key_step": (0, 11, "step above the key note", "semitones"),
}


@dataclass(frozen=True)
class KitVoice:
    """One voice of a kit.

    level_db is against the role's usual level; pan -1 (left) to 1 (right). velocity_level and velocity_bright: 0 (not
    at all) to 1 (fully), how velocity is heard. vary_cents and vary_db: standard deviation from hit to hit, seeded.
    strokes: so many different ones of its models sound in turn, so that no two equal hits are the same samples.
    rings: a new hit lets the last one ring; otherwise it cuts it. note None: the role's General MIDI note. key_step:
    its tuned models follow the kit's key note (0 = C), so many semitones above it; None: they keep their tune.
    name and glyph: "" for the role's own. chain: units it goes through on every Stage before those of the song, as they
    are written down; what they mean the Stage knows.
    """

    role: str
    layers: tuple[Layer, ...]
    level_db: float = 0.0
    pan: float = 0.0
    drive: float = 0.0
    velocity_level: float = 1.0
    velocity_bright: float = 1.0
    vary_cents: float = 0.0
    vary_db: float = 0.0
    strokes: int = 1
    rings: bool = True
    choke_group: str | None = None
    note: int | None = None
    alternates: tuple[tuple[Layer, ...], ...] = ()
    name: str = ""
    glyph: str = ""
    key_step: int | None = None
    key_note: int | None = None
    chain: tuple[dict[str, object], ...] = ()

    def __post_init__(self) -> None:
        check_voice(self.role)
        require_range("The number of layers of a voice", len(self.layers), 1, MAX_LAYERS)
        for name, (low, high, words, unit) in LIMITS.items():
            value = getattr(self, name)
            if value is not None:
                require_range(f"The {words} of a voice", value, low, high, unit)
        if self.choke_group is not None and not 1 <= len(self.choke_group) <= 20:
            raise BadValueError("The name of a choke group has 1 to 20 letters.")
        require_range("The number of alternate sounds of a voice", len(self.alternates), 0, MAX_ALTERNATES)
        for layers in self.alternates:
            require_range("The number of layers of an alternate sound", len(layers), 1, MAX_LAYERS)
        if len(self.name) > 40:
            raise BadValueError(f"The name of a voice has {len(self.name)} characters; at most 40 fit.")
        require_range("The number of units of a voice's chain", len(self.chain), 0, MAX_UNITS)
        if self.glyph and self.glyph not in GLYPHS:
            raise BadValueError(f"There is no glyph '{self.glyph[:20]}'; there are {', '.join(GLYPHS)}.")

    @property
    def title(self) -> str:
        return self.name or ROLES[self.role].name

    @property
    def sign(self) -> str:
        return self.glyph or ROLES[self.role].glyph

    @property
    def midi_note(self) -> int:
        return ROLES[self.role].midi_note if self.note is None else self.note

    @cached_property
    def tuned_layers(self) -> tuple[Layer, ...]:
        """The layers as they sound in the kit's key."""
        if self.key_step is None or self.key_note is None:
            return self.layers
        pitch_class = (self.key_note + self.key_step) % 12
        return tuple(replace(layer, sound=in_key(layer.sound, pitch_class)) for layer in self.layers)

    @cached_property
    def stretches(self) -> tuple[Stretch, ...]:
        """Velocities rendered as one: zones, cut where a layer or a finished sample begins or ends."""
        borders = [border for layer in self.layers for border in (layer.velocity_low, layer.velocity_high + 1)]
        for layer in self.layers:
            if not layer.sound.levelled:
                borders += [border for one in layer.sound.samples for border in (one.low, one.high + 1)]
        return stretches(borders)

    @cached_property
    def stretch_of(self) -> npt.NDArray[np.int64]:
        """The number of the stretch of every velocity, shape (128,)."""
        lows = np.array([stretch.low for stretch in self.stretches])
        return np.maximum(np.searchsorted(lows, np.arange(128), side="right") - 1, 0)

    @property
    def hardest(self) -> int:
        """The number of the hardest stretch."""
        return len(self.stretches) - 1

    @cached_property
    def audio_base(self) -> str:
        """Content hash of everything that shapes its audio; level and pan are applied when it plays."""
        shape = {
            "role": self.role,
            "drive": self.drive,
            "bright": self.velocity_bright,
            "layers": [asdict(layer) | {"name": ""} for layer in self.tuned_layers],
        }
        return hashlib.sha256(json.dumps(shape, sort_keys=True).encode()).hexdigest()[:20]

    def alternate(self, number: int) -> KitVoice:
        """The voice with alternate sound 1, 2, ... in place of its layers; 0 and numbers it has not: itself.

        With NEXT_STROKE added once or more it is another stroke of the same sound.
        """
        stroke, which = divmod(number, NEXT_STROKE)
        chosen = self._alternates[which - 1] if 1 <= which <= len(self.alternates) else self
        return chosen._strokes[stroke - 1] if 1 <= stroke < chosen.turns else chosen

    @cached_property
    def _alternates(self) -> tuple[KitVoice, ...]:
        return tuple(replace(self, layers=layers, alternates=()) for layers in self.alternates)

    @cached_property
    def _strokes(self) -> tuple[KitVoice, ...]:
        return tuple(
            replace(self, layers=tuple(replace(one, sound=stroke_of(one.sound, number)) for one in self.layers),
                    alternates=(), strokes=1)
            for number in range(1, self.turns)
        )  # fmt: skip

    @property
    def turns(self) -> int:
        """How many different strokes sound in turn: recordings alone are always the same."""
        return self.strokes if self.models else 1

    @property
    def models(self) -> bool:
        """Whether a layer of it is computed."""
        return any(layer.sound.model != SAMPLED for layer in self.layers)

    @cached_property
    def sounds(self) -> tuple[int, ...]:
        """The numbers of all that `alternate` gives: its own sound and the alternate ones, each in all its strokes."""
        kinds = range(len(self.alternates) + 1)
        return tuple(which + NEXT_STROKE * turn for which in kinds for turn in range(self.alternate(which).turns))

    @property
    def hears_velocity(self) -> bool:
        return self.velocity_level > 0 or self.velocity_bright > 0


def plain_voice(role: str, sound: Sound, level_db: float = 0.0, pan: float = 0.0, name: str = "") -> KitVoice:
    """A voice of one layer, choked as its role usually is.

    Parameters
    ----------
    role
        Role of the voice.
    sound
        Its sound.
    level_db
        Level in dB.
    pan
        -1 (left) to 1 (right).
    name
        What it is called.

    Returns
    -------
    KitVoice
        The voice.
    """
    return KitVoice(role, (Layer(sound, name),), level_db, pan, choke_group=ROLES[role].choke_group)


def voice_to_doc(voice: KitVoice) -> dict[str, Any]:
    """The inverse of voice_from_doc; the key note is the kit's. One stroke is not written down: as in older kits."""
    doc = asdict(voice)
    del doc["key_note"]
    if voice.strokes == 1:
        del doc["strokes"]
    return doc


def voice_from_doc(doc: dict[str, Any]) -> KitVoice:
    """The inverse of dataclasses.asdict; also reads the one sound per voice of the first version."""
    if "sound" in doc:
        return plain_voice(doc["role"], sound_from_doc(doc["sound"]), doc["level_db"], doc["pan"])
    known = {f.name for f in fields(KitVoice)}
    values = {name: value for name, value in doc.items() if name in known}
    values["layers"] = tuple(layer_from_doc(layer) for layer in doc["layers"])
    values["alternates"] = tuple(tuple(layer_from_doc(layer) for layer in one) for one in doc.get("alternates", ()))
    values["chain"] = tuple(doc.get("chain", ()))
    return KitVoice(**values)


@dataclass(frozen=True)
class Kit:
    """Voices with a name. key: of the kit where it is kept. key_note: 0 (C) to 11, that tuned sounds follow."""

    key: str
    name: str
    voices: tuple[KitVoice, ...] = field(default=())
    key_note: int | None = None

    def __post_init__(self) -> None:
        roles = [voice.role for voice in self.voices]
        twice = next((role for role in roles if roles.count(role) > 1), None)
        if twice:
            raise BadValueError(
                f"{self.name} would have two voices for {ROLES[twice].name.lower()}; it has one of each."
            )
        if any(voice.key_note != self.key_note for voice in self.voices):
            tuned = tuple(replace(voice, key_note=self.key_note) for voice in self.voices)
            object.__setattr__(self, "voices", tuned)

    def with_voice(self, changed: KitVoice) -> Kit:
        """The kit with one voice exchanged for another of its role."""
        return replace(self, voices=tuple(changed if v.role == changed.role else v for v in self.voices))

    def voice(self, role: str) -> KitVoice:
        for voice in self.voices:
            if voice.role == role:
                return voice
        raise BadValueError(f"{self.name} has no {ROLES[role].name.lower() if role in ROLES else role}.")

    @property
    def roles(self) -> tuple[str, ...]:
        return tuple(voice.role for voice in self.voices)


def stretch_layers(voice: KitVoice, number: int) -> list[Layer]:
    """The layers that sound in a stretch of velocities."""
    stretch = voice.stretches[number]
    return [one for one in voice.tuned_layers if one.velocity_low <= stretch.low and stretch.high <= one.velocity_high]


_rendered: ResultCache[Frames] = ResultCache("voices, rendered", CACHE_BYTES)
NOTHING = np.zeros((64, 1), dtype=np.float32)


def voice_audio(voice: KitVoice, number: int, samples: SampleSource = no_samples) -> Frames:
    """Audio of a voice struck in a stretch of velocities (0 softest), at its role's level.

    44.1 kHz, shape (frames, 1 or 2).

    Parameters
    ----------
    voice
        The voice.
    number
        Which stretch of velocities, 0 is the softest.
    samples
        Gives the recording of a sound by its key.

    Returns
    -------
    Frames
        Samples at 44.1 kHz.

    Raises
    ------
    BadValueError
        When a recording it needs is not at hand.
    """
    return _rendered.get(audio_key(voice, number), lambda: fixed(_render(voice, number, samples)))


def clear_rendered() -> None:
    """Forget every voice rendered so far; for measuring."""
    _rendered.clear()


def _render(voice: KitVoice, number: int, samples: SampleSource) -> Frames:
    sounding = stretch_layers(voice, number)
    if not sounding:
        return NOTHING.copy()
    velocity = voice.stretches[number].middle
    lines = placed([(layer, layer_audio(layer, velocity, voice.velocity_bright, samples)) for layer in sounding])
    return finished(lines.sum(axis=0, dtype=np.float64), voice)


def finished(x: npt.NDArray[np.float64], voice: KitVoice) -> Frames:
    """The sum of the layers with the voice's drive, at its role's level, ending without a click."""
    if not x.any():
        return NOTHING.copy()
    if voice.drive > 0:
        before, peak = loudest_rms(x), float(np.abs(x).max())
        x = np.tanh(x / peak * (1 + 6 * voice.drive))
        x *= before / loudest_rms(x)
    if voice.role in SLICES:
        return np.asarray(x, dtype=np.float32)  # it ends where the next one begins: faded it would not fit
    x = trimmed_end(x * 10 ** ((ROLE_LUFS[voice.role] - REFERENCE_LUFS) / 20))
    return np.asarray(_within_full_scale(x), dtype=np.float32)


def _within_full_scale(x: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Only what would go over is bent: its peaks are rounded off above the knee, so that its loudness stays."""
    height = np.abs(x)
    if height.max() <= FULL_SCALE:
        return x
    room = FULL_SCALE - KNEE
    bent = KNEE + room * np.tanh((height - KNEE) / room)
    return np.where(height > KNEE, np.sign(x) * bent, x)


def audio_key(voice: KitVoice, number: int) -> str:
    """Name of that audio by content: role, layers and stretch of velocities decide it."""
    return f"{voice.role}-{voice.audio_base}-{number}"
