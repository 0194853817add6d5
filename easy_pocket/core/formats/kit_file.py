"""A kit as one file (.pocketkit): a zip of JSON and the recordings it names, exactly as the kit is."""

from __future__ import annotations

import json
from dataclasses import fields
from typing import Any

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import KitRefusedError, PocketError
from easy_pocket.core.formats.archive import read_archive, write_archive
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.audio_names import AUDIO, SHORTEST_FRAMES, frames_of, name_of, renamed
from easy_pocket.core.formats.exchange import KitToWrite
from easy_pocket.core.formats.registry import Choice, Format, NoOptions, Written, register
from easy_pocket.core.formats.sfz import ReadKit, read_sfz
from easy_pocket.core.sound.kit import Kit, KitVoice, voice_from_doc, voice_to_doc
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import SampleSource, no_samples
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.stage import unit_from_doc
from easy_pocket.core.text import one_line

FORMAT, VERSION = "easy-pocket kit", 1
JSON_NAME = "kit.json"
MOST_VOICES = 64


def write_kit_file(kit: Kit, samples: SampleSource = no_samples) -> bytes:
    """The same kit gives the same bytes."""
    voices = [voice_to_doc(voice) for voice in kit.voices]
    told = {"format": FORMAT, "version": VERSION, "name": kit.name, "key_note": kit.key_note, "voices": voices}
    files = {JSON_NAME: json.dumps(told, ensure_ascii=False, sort_keys=True, indent=1).encode()}
    for key in sorted(set(_recordings(voices))):
        x = samples(key)
        if len(x) < SHORTEST_FRAMES:
            x = np.pad(x, ((0, SHORTEST_FRAMES - len(x)), (0, 0)))
        loud = float(np.abs(x).max(initial=0.0)) > 1.0
        kind, bits = ("WAV", 32) if loud else ("FLAC", 24)
        files[f"audio/{key}.{kind.lower()}"] = write_audio(Audio(x, RATE_HZ, key), kind, bits)
    return write_archive(files, packed=False)


def read_kit_file(data: bytes, name: str) -> ReadKit:
    """Read it within bounds.

    Raises
    ------
    KitRefusedError
        For what is no kit file, is of a newer version, is damaged, or names audio that it does not hold.
    """
    files = read_archive(data, name, (".json", ".flac", ".wav"))
    try:
        doc = json.loads(files.get(JSON_NAME, b""))
    except (ValueError, RecursionError):
        doc = None
    if not isinstance(doc, dict) or doc.get("format") != FORMAT:
        raise KitRefusedError(f"{name} is no kit file of Easy Pocket: choose a .pocketkit, or a zip with an SFZ.")
    version = doc.get("version")
    if not isinstance(version, int) or version > VERSION:
        raise KitRefusedError(f"{name} was saved by a newer Easy Pocket: bring this one up to date.")
    audio, names = dict[str, Frames](), dict[str, str]()
    for path, held in files.items():
        found = AUDIO.fullmatch(path)
        if found:
            right = name_of(found[1], held)
            if right is None:
                raise KitRefusedError(f"{name} is damaged: the audio {found[1][:12]} in it is not what it was.")
            names[found[1]] = right
            audio[right] = frames_of(right, held)
    doc = json.loads(renamed(json.dumps(doc), names))
    kit = _kit(doc, name)
    missing = set(_recordings(doc["voices"])) - set(audio)
    if missing:
        raise KitRefusedError(f"{name} lacks {len(missing)} of its recordings: save the kit again.")
    return ReadKit(kit, audio)


def _kit(doc: dict[str, Any], name: str) -> Kit:
    """Raises KitRefusedError for what is no kit."""
    try:
        voices = doc["voices"]
        if not isinstance(voices, list) or len(voices) > MOST_VOICES:
            raise ValueError("voices")
        found = tuple(_voice(one) for one in voices)
        key_note = doc.get("key_note")
        if key_note is not None and key_note not in range(12):
            raise ValueError("key_note")
        return Kit("", one_line(str(doc.get("name", "")), 80) or "Kit", found, key_note)
    except (PocketError, LookupError, TypeError, ValueError, AttributeError) as error:
        reason = f": {error}" if isinstance(error, PocketError) else ""
        raise KitRefusedError(f"{name} does not hold a kit as Easy Pocket writes it{reason}: save it again.") from None


def _voice(doc: dict[str, Any]) -> KitVoice:
    unknown = set(doc) - {one.name for one in fields(KitVoice)}
    if unknown:
        raise ValueError("voice")
    for unit in doc.get("chain", ()):
        unit_from_doc(unit)
    return voice_from_doc(doc)


def _recordings(value: Any) -> list[str]:
    """The content keys of all recordings in it."""
    if isinstance(value, dict):
        own = [value["audio"]] if isinstance(value.get("audio"), str) and value["audio"] else []
        return own + [key for one in value.values() for key in _recordings(one)]
    if isinstance(value, list | tuple):
        return [key for one in value for key in _recordings(one)]
    return []


def read_any_kit(data: bytes, name: str) -> ReadKit:
    """A kit file, or a zip with an SFZ: told by what is in it."""
    if read_archive(data, name, (JSON_NAME,)):
        return read_kit_file(data, name)
    return read_sfz(data, name)


def write(given: KitToWrite, _options: NoOptions) -> Written:
    """Write a kit as it is."""
    return Written(write_kit_file(given.kit, given.samples))


register(
    Format(
        "kit",
        "pocketkit",
        "Kit file",
        (".pocketkit",),
        "application/zip",
        "with all its layers and recordings",
        write=write,
        read=read_kit_file,
        choices=(Choice("Save as a kit file"),),
    )
)
