"""A kit as a file: it comes back exactly, sound for sound, and what is no kit file is refused in words."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import ArchiveRefusedError, KitRefusedError
from easy_pocket.core.formats.archive import read_archive, write_archive
from easy_pocket.core.formats.kit_file import read_any_kit, read_kit_file, write_kit_file
from easy_pocket.core.sound.kit import Kit, voice_audio
from easy_pocket.samples import house_kits, shipped_samples
from tests.drums import written_sfz

KITS = house_kits()


@pytest.mark.parametrize("key", list(KITS))
def test_a_kit_comes_back_sound_for_sound(key):
    kit = KITS[key]
    data = write_kit_file(kit, shipped_samples)
    assert data == write_kit_file(kit, shipped_samples)
    back = read_kit_file(data, "x.pocketkit")
    assert (back.kit.name, back.kit.voices, back.kit.key_note) == (kit.name, kit.voices, kit.key_note)
    for mine, theirs in zip(kit.voices, back.kit.voices, strict=True):
        heard = voice_audio(mine, mine.hardest, shipped_samples)
        assert np.array_equal(heard, voice_audio(theirs, theirs.hardest, back.audio.__getitem__))
    assert write_kit_file(back.kit, back.audio.__getitem__) == data


def changed(change):
    """A kit file with something else in its JSON."""
    files = read_archive(write_kit_file(KITS["boathouse"], shipped_samples), "x", (".json", ".flac", ".wav"))
    doc = json.loads(files["kit.json"])
    change(doc)
    return write_archive({**files, "kit.json": json.dumps(doc).encode()})


def without_audio():
    key = next(name for name, kit in KITS.items() if b"audio/" in write_kit_file(kit, shipped_samples))
    files = read_archive(write_kit_file(KITS[key], shipped_samples), "x", (".json",))
    return write_archive(files)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (write_archive({"kit.json": b"{"}), "no kit file"),
        (write_archive({"kit.json": b"[" * 9000}), "no kit file"),
        (write_archive({"letter.json": b"{}"}), "no kit file"),
        (changed(lambda doc: doc.update(version=2)), "newer Easy Pocket"),
        (changed(lambda doc: doc.update(version="1")), "newer Easy Pocket"),
        (changed(lambda doc: doc.update(voices={})), "does not hold a kit"),
        (changed(lambda doc: doc.update(key_note=12)), "does not hold a kit"),
        (changed(lambda doc: doc["voices"][0].update(level_db="loud")), "does not hold a kit"),
        (changed(lambda doc: doc["voices"][0].update(role="../../etc")), "does not hold a kit"),
        (changed(lambda doc: doc["voices"][0].update(more=1)), "does not hold a kit"),
        (changed(lambda doc: doc["voices"].append(doc["voices"][0])), "does not hold a kit"),
        (changed(lambda doc: doc["voices"][0].update(chain=[{"kind": "magic"}])), "does not hold a kit"),
        (without_audio(), "recordings"),
    ],
)
def test_what_is_no_kit_file_is_refused(data, words):
    with pytest.raises(KitRefusedError, match=words):
        read_kit_file(data, "x.pocketkit")


@given(st.binary(max_size=300), st.integers(0, 2000))
def test_damaged_bytes_never_make_a_kit(noise, at):
    data = bytearray(write_kit_file(Kit("", "Plain", KITS["boathouse"].voices[:1]), shipped_samples))
    data[at : at + len(noise)] = noise
    try:
        back = read_kit_file(bytes(data), "x.pocketkit")
    except (KitRefusedError, ArchiveRefusedError):
        return
    assert back.kit.voices


def test_either_kind_of_kit_is_told_by_what_is_in_it():
    kit = KITS["boathouse"]
    assert read_any_kit(write_kit_file(kit, shipped_samples), "x.zip").kit.voices == kit.voices
    assert read_any_kit(written_sfz(kit, shipped_samples), "x.pocketkit").kit.roles[:2] == ("kick", "snare")
