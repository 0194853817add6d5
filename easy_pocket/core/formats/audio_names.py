"""Recordings in our files: each lies under the name of what it holds.

Earlier versions named sounds before they were rounded to what is kept; those are taken under their right name.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping

import numpy as np

from easy_pocket.core.errors import PocketError
from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.sound.one_shot import content_key
from easy_pocket.core.sound.sample_format import Frames, fixed

AUDIO = re.compile(r"audio/([0-9a-f]{16,64})\.(flac|wav)")
SHORTEST_FRAMES = 64  # a shorter recording is kept with silence after it


def name_of(key: str, data: bytes) -> str | None:
    """The name audio should lie under: `key` where that is one for its bytes or its samples; None for what is none."""
    if hashlib.sha256(data).hexdigest() == key:
        return key
    try:
        frames = frames_of(key, data)
    except PocketError:
        return None
    name = content_key(frames)
    short = len(frames) == SHORTEST_FRAMES and any(content_key(frames[:end]) == key for end in range(1, len(frames)))
    return key if short else name


def frames_of(key: str, data: bytes) -> Frames:
    """Its samples, shape (frames, channels). Raises AudioRefusedError for what is no audio."""
    return fixed(np.ascontiguousarray(read_audio(data, key[:12]).samples))


def is_audio_of(key: str, data: bytes) -> bool:
    """Whether audio is what its name says."""
    return name_of(key, data) == key


def renamed(text: str, names: Mapping[str, str]) -> str:
    """A document in which recordings have other names."""
    return re.sub(r"[0-9a-f]{64}", lambda found: names.get(found[0], found[0]), text) if names else text
