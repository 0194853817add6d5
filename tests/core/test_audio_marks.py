"""Marks in audio files: read back by hand and by another library, the audio untouched, the same bytes each time."""

import io
import struct

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st
from mutagen.flac import FLAC

from easy_pocket.core.audio import Audio
from easy_pocket.core.formats.audio_file import read_audio, write_audio
from easy_pocket.core.formats.audio_marks import Marks, with_marks

RATE = 44_100


def recording(frames, channels=2):
    return Audio(np.random.default_rng(1).uniform(-0.5, 0.5, (frames, channels)).astype(np.float32), RATE, "x")


def chunks(wav):
    """Chunks of a WAV by name; fails where a size is wrong."""
    assert wav[:4] == b"RIFF"
    assert struct.unpack("<I", wav[4:8])[0] == len(wav) - 8
    found, at = {}, 12
    while at < len(wav):
        name, size = struct.unpack_from("<4sI", wav, at)
        found[name] = wav[at + 8 : at + 8 + size]
        assert at + 8 + size <= len(wav)
        at += 8 + size + size % 2
    assert at == len(wav)
    return found


def markers(wav):
    """(frame, label) of each."""
    found = chunks(wav)
    (count,) = struct.unpack_from("<I", found[b"cue "])
    places = {}
    for number in range(count):
        key, _, _, _, _, at = struct.unpack_from("<II4sIII", found[b"cue "], 4 + 24 * number)
        places[key] = at
    labels, at, listed = {}, 4, found[b"LIST"]
    assert listed[:4] == b"adtl"
    while at < len(listed):
        _, size = struct.unpack_from("<4sI", listed, at)
        (key,) = struct.unpack_from("<I", listed, at + 8)
        labels[key] = listed[at + 12 : at + 8 + size].rstrip(b"\0").decode()
        at += 8 + size + size % 2
    return [(places[key], labels[key]) for key in sorted(places)]


@given(
    frames=st.integers(64, 5000),
    bits=st.sampled_from([16, 24, 32]),
    names=st.lists(st.text(st.characters(exclude_characters="\0", exclude_categories=["Cs"]), max_size=20), max_size=6),
    loops=st.booleans(),
)
def test_a_wav_has_its_markers_and_its_loop_and_the_same_audio(frames, bits, names, loops):
    audio = recording(frames, 1 + frames % 2)
    plain = write_audio(audio, "WAV", bits)
    places = tuple((number * 0.01, name) for number, name in enumerate(names))
    wav = with_marks(plain, "WAV", Marks("x", 104.0, places, loops), frames, RATE)
    assert np.array_equal(read_audio(wav, "x").samples, read_audio(plain, "x").samples)
    found = chunks(wav)
    inside = [(number * 441, name) for number, name in enumerate(names) if number * 441 < frames]
    assert (markers(wav) if inside else []) == inside
    assert (b"smpl" in found) == loops
    if loops:
        assert struct.unpack_from("<I", found[b"smpl"], 28)[0] == 1
        assert struct.unpack_from("<II", found[b"smpl"], 44) == (0, frames - 1)
    assert wav == with_marks(plain, "WAV", Marks("x", 104.0, places, loops), frames, RATE)


@pytest.mark.parametrize(("tempo", "told"), [(104.0, ["104"]), (93.75, ["93.75"]), (None, None)])
def test_a_flac_has_its_title_and_tempo(tempo, told):
    plain = write_audio(recording(3000), "FLAC", 24, comment="A bar of pre-roll.")
    flac = with_marks(plain, "FLAC", Marks("Låmplighter 潮", tempo), 3000, RATE)
    tags = FLAC(io.BytesIO(flac))
    assert tags["title"] == ["Låmplighter 潮"]
    assert tags.get("bpm") == told
    assert tags["comment"] == ["A bar of pre-roll."]
    assert np.array_equal(soundfile.read(io.BytesIO(flac))[0], soundfile.read(io.BytesIO(plain))[0])
    assert flac == with_marks(plain, "FLAC", Marks("Låmplighter 潮", tempo), 3000, RATE)
