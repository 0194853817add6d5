"""Sounds of the library as the list at the right of the Kit screen shows them."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from easy_pocket.core.pattern.voices import DRUMS, ROLES
from easy_pocket.core.sound.kit import Kit, KitVoice
from easy_pocket.core.sound.layer import layer_audio, placed
from easy_pocket.core.sound.sound import SampleSource
from easy_pocket.core.sound.spectrum import THIRD_HZ, third_energy
from easy_pocket.core.sound.velocity import HARD_VELOCITY
from easy_pocket.store.schema.tables import SoundRow
from easy_pocket.web.screens.kit import shapes
from easy_pocket.web.screens.kit.drags import note_name
from easy_pocket.web.shared.waves import picture_path

DARK_HZ, BRIGHT_HZ = 80.0, 12_000.0
SHORT_S, LONG_S = 0.03, 3.0


def sound_doc(row: SoundRow, kit: Kit | None) -> shapes.SoundRow:
    """What a row of the list needs; kit: to say which sounds it uses."""
    key = row.key
    used = kit is not None and any(layer.sound.key == key for voice in kit.voices for layer in voice.layers)
    pitch = f" · {note_name(row.pitch_hz)}" if row.pitch_hz else ""
    return {
        "id": row.id,
        "name": row.name,
        "role": row.role,
        "role_name": ROLES[row.role].name,
        "source": row.source,
        "bright": _share(row.bright_hz, DARK_HZ, BRIGHT_HZ),
        "long": _share(row.length_s, SHORT_S, LONG_S),
        "facts": f"{row.length_s:.2f} s · middle {_hz(row.bright_hz)}{pitch} · {row.noisy * 100:.0f} % noise",
        "path": picture_path(row.picture),
        "favourite": row.favourite,
        "in_use": used,
        "removed": row.removed,
    }


def role_choices() -> str:
    """Every role with its name, for the page's list."""
    return "|".join(f"{role.key}:{role.name}" for role in DRUMS.values())


def _share(value: float, low: float, high: float) -> int:
    """0-100 on a scale of factors."""
    return round(100 * min(max(math.log(max(value, 1e-6) / low) / math.log(high / low), 0.02), 1.0))


def _hz(value: float) -> str:
    return f"{value / 1000:.1f} kHz" if value >= 1000 else f"{value:.0f} Hz"


def other_layers_energy(voice: KitVoice, layer: int, samples: SampleSource) -> npt.NDArray[np.float64]:
    """Energy per third of the voice's layers but the one a sound is wanted for; nothing when there are no others."""
    others = [one for number, one in enumerate(voice.tuned_layers) if number != layer]
    if not others:
        return np.full(len(THIRD_HZ), 1e-9)
    lines = placed([(one, layer_audio(one, HARD_VELOCITY, voice.velocity_bright, samples)) for one in others])
    return third_energy(lines.sum(axis=0))
