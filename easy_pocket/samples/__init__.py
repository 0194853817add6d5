"""What ships recorded: the sampled acoustic kit *Dry Dock*; and all kits of the house."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path

import numpy as np

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import Kit, KitVoice, plain_voice
from easy_pocket.core.sound.one_shot import content_key
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import SAMPLED, Sample, Sound

FOLDER = Path(__file__).parent
PANS = {
    "hat_closed": 0.26, "hat_open": 0.26, "hat_pedal": 0.26, "tom_high": 0.22, "tom_mid": -0.06, "tom_low": -0.34,
    "ride": -0.3, "crash": 0.36, "shaker": -0.4, "tambourine": 0.44, "rim": 0.08, "clap": -0.1, "conga_high": 0.2,
    "conga_low": -0.2, "wood": 0.34, "bell": -0.36,
}  # fmt: skip


@lru_cache(maxsize=1)
def sampled_audio() -> dict[str, Frames]:
    """Every recording by its content key."""
    found = {}
    for file in sorted(FOLDER.glob("*.flac")):
        samples = np.ascontiguousarray(read_audio(file, file.name).samples)
        found[content_key(samples)] = samples
    return found


@lru_cache(maxsize=1)
def dry_dock() -> Kit:
    index = json.loads((FOLDER / "index.json").read_text())
    key_of = {file.name: content_key(read_audio(file, file.name).samples) for file in FOLDER.glob("*.flac")}

    def voice(role: str) -> KitVoice:
        samples = tuple(Sample(key_of[one["file"]], one["low"], one["high"]) for one in index[role])
        name = f"Dry Dock {ROLES[role].name.lower()}"
        return plain_voice(role, Sound(SAMPLED, {}, samples=samples), pan=PANS.get(role, 0.0), name=name)

    return Kit("dry_dock", "Dry Dock", tuple(voice(role) for role in index))


def house_kits() -> dict[str, Kit]:
    """Every kit that comes with Easy Pocket, by key."""
    return {**HOUSE_KITS, "dry_dock": dry_dock()}


def shipped_samples(audio: str) -> Frames:
    """A SampleSource of what ships; anything else is not at hand."""
    try:
        return sampled_audio()[audio]
    except KeyError:
        raise BadValueError(f"The audio {audio[:12]} of a sampled sound is not at hand here.") from None
