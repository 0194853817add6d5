"""Bringing in the user's own one-shots: single files, or a zip of them."""

from __future__ import annotations

from dataclasses import dataclass

from easy_pocket.core.errors import ArchiveRefusedError, PocketError
from easy_pocket.core.formats.archive import read_archive
from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.formats.sfz import AUDIO_ENDINGS
from easy_pocket.core.sound.one_shot import content_key, one_shot
from easy_pocket.core.sound.role import guess_roles
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.tones import RATE_HZ

MAX_AT_ONCE = 500
MAX_ALL_S = 1200.0


@dataclass(frozen=True)
class ImportedSounds:
    """A sound out of a file: frames at 44.1 kHz, and which role it was taken for (certainty 0-1)."""

    name: str
    audio: str  # content key
    frames: Frames
    role: str
    certainty: float


def import_sounds(data: bytes, name: str) -> tuple[list[ImportedSounds], list[str]]:
    """Ready one-shots with their guessed roles, and in words what could not be used. The same audio comes once.

    Raises what reading raises when it is a single file, ArchiveRefusedError when a zip holds no usable sound.
    """
    if not data.startswith(b"PK"):
        return _named([(name, one_shot(read_audio(data, name)))]), []
    files = read_archive(data, name, (*AUDIO_ENDINGS, ".sfz"))
    if any(path.lower().endswith(".sfz") for path in files):
        raise ArchiveRefusedError(f"{name} holds an SFZ kit: bring it in with 'bring in a kit' at the left.")
    if len(files) > MAX_AT_ONCE:
        raise ArchiveRefusedError(f"{name} holds {len(files)} sounds; at most {MAX_AT_ONCE} come in at once: split it.")
    ready, refused = [], []
    seconds = 0.0
    for path, content in files.items():
        short = path.rsplit("/", 1)[-1]
        try:
            ready.append((short, one_shot(read_audio(content, short))))
        except PocketError as error:
            refused.append(str(error))
            continue
        seconds += len(ready[-1][1]) / RATE_HZ
        if seconds > MAX_ALL_S:
            raise ArchiveRefusedError(
                f"{name} holds more than {MAX_ALL_S / 60:.0f} minutes of sound; single hits are meant: split it."
            )
    if not ready:
        why = f" ({refused[0]})" if refused else ": WAV, FLAC, OGG, AIFF and MP3 are read"
        raise ArchiveRefusedError(f"{name} holds no sound that can be used{why}.")
    return _named(ready), refused


def _named(ready: list[tuple[str, Frames]]) -> list[ImportedSounds]:
    guesses = guess_roles([frames for _, frames in ready])
    found: dict[str, ImportedSounds] = {}
    for (name, frames), guess in zip(ready, guesses, strict=True):
        key = content_key(frames)
        plain = name.rsplit(".", 1)[0].replace("_", " ").strip() or "sound"
        found.setdefault(key, ImportedSounds(plain[:80], key, frames, guess.role, guess.certainty))
    return list(found.values())
