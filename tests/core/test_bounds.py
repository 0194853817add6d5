"""Small files that would cost much, and damaged ones: refused in words, before the cost."""

from __future__ import annotations

import io
import struct
import time
import tracemalloc
import zipfile
from collections.abc import Callable

import mido
import numpy as np
import pytest
import soundfile

from easy_pocket.core.errors import (
    AudioRefusedError,
    KitRefusedError,
    MidiRefusedError,
    PocketError,
)
from easy_pocket.core.formats.archive import read_archive
from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.formats.midi import MAX_EVENTS, open_midi, read_midi
from easy_pocket.core.formats.sfz import read_sfz
from easy_pocket.core.formats.song_midi import read_song_midi
from tests.drums import wav_bytes

PATIENT_S = 5.0  # what took a minute, or all the memory there was, has to be refused long before


def words_of(read: Callable[[], object], otherwise: str) -> str:
    """Why it was refused; anything but a refusal comes out."""
    try:
        read()
    except PocketError as error:
        return str(error)
    return otherwise


def zipped(method: int = zipfile.ZIP_DEFLATED, **files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        for name, content in files.items():
            archive.writestr(name.replace("_sfz", ".sfz").replace("_wav", ".wav"), content)
    return out.getvalue()


def test_many_channels_of_silence_are_refused_before_they_are_laid_out() -> None:
    out = io.BytesIO()
    with soundfile.SoundFile(out, "w", 44_100, 8, format="FLAC") as writing:
        for _ in range(220):
            writing.write(np.zeros((44_100, 8), dtype=np.int16))
    assert len(out.getvalue()) < 1_000_000
    tracemalloc.start()
    with pytest.raises(AudioRefusedError, match="million samples in its 8 channels"):
        read_audio(out.getvalue(), "eight.flac")
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert most < 700_000_000


def test_defines_that_grow_are_refused_before_they_have_grown() -> None:
    lines = ["#define $a0 xxxxxxxxxx"]
    lines += [f"#define $a{n} {f'$a{n - 1}' * 10}" for n in range(1, 12)]
    lines += ["<region> sample=" + "$a11" * 200] * 2000
    began = time.monotonic()
    with pytest.raises(PocketError):
        read_sfz(zipped(kit_sfz="\n".join(lines).encode(), x_wav=wav_bytes(np.ones(2000))), "small.zip")
    assert time.monotonic() - began < PATIENT_S


def test_a_long_line_made_of_defines_names_them() -> None:
    text = "#define $a " + "y" * 190 + "\n<region> " + "$a" * 400
    with pytest.raises(KitRefusedError, match="grows too large by its #defines"):
        read_sfz(zipped(kit_sfz=text.encode(), x_wav=wav_bytes(np.ones(2000))), "small.zip")


@pytest.mark.parametrize("key", ["²", "٣", "1e400", "-1", "128", "", "c99999999"])
def test_a_key_that_is_none_leaves_its_region_out_or_is_refused(key: str) -> None:
    tone = np.sin(np.arange(4000) / 9) * np.exp(-np.arange(4000) / 700)
    kit = zipped(
        kit_sfz=f"<region> sample=a.wav key={key}\n<region> sample=a.wav key=36\n".encode(), a_wav=wav_bytes(tone)
    )
    assert "kit" in words_of(lambda: read_sfz(kit, "kit.zip"), "the kit was read")


def test_more_events_than_can_be_read_are_counted_not_read() -> None:
    notes = b"\x00\x99\x24\x60\x00\x24\x00" * (MAX_EVENTS // 2 + 10)
    data = b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(notes)) + notes
    began = time.monotonic()
    for read in (open_midi, read_midi, read_song_midi):
        with pytest.raises(MidiRefusedError, match="more than 300,000 events"):
            read(data, "long.mid")
    assert time.monotonic() - began < PATIENT_S


def midi_of(*messages: mido.MetaMessage | mido.Message | bytes) -> bytes:
    track = b"".join(one if isinstance(one, bytes) else b"\x00" + bytes(one.bytes()) for one in messages)
    track += b"\x00\xff\x2f\x00"
    return b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(track)) + track


NOTE = mido.Message("note_on", note=36, velocity=90, channel=9)


@pytest.mark.parametrize(
    "odd",
    [
        b"\x00\xff\x59\x02\x50\x00",  # a key signature of 80 sharps
        b"\x00\xff\x59\x02\x00\x07",  # neither major nor minor
        b"\x00\xff\x59\x00",  # an empty one
        b"\x00\xff\x51\x01\x05",  # a tempo of one byte
        b"\x00\xff\x51\x03\x00\x00\x00",  # no time at all for a beat
        b"\x00\xff\x58\x01\x04",  # a metre cut off
        b"\x00\xff\x58\x04\x04\x1f\x18\x08",  # a metre of 2^31-ths
        b"\x00\xff\x7f\xff\xff\xff\x7f",  # more bytes than there are
    ],
)
def test_odd_events_of_a_midi_file_are_read_or_refused_in_words(odd: bytes) -> None:
    data = midi_of(odd, NOTE)
    for read in (read_midi, read_song_midi):
        assert len(words_of(lambda read=read: read(data, "odd.mid"), "it was read")) > 10  # type: ignore[misc]


@pytest.mark.parametrize("method", [zipfile.ZIP_DEFLATED, zipfile.ZIP_LZMA, zipfile.ZIP_BZIP2])
def test_a_damaged_stream_in_a_zip_is_said(method: int) -> None:
    whole = bytearray(zipped(method, a_wav=wav_bytes(np.random.default_rng(1).standard_normal(4000) * 0.2)))
    said: list[str] = []
    for at in range(60, 400, 17):
        damaged = whole.copy()
        damaged[at : at + 6] = b"\xff\x00\xff\x00\xff\x00"
        said.append(words_of(lambda data=bytes(damaged): read_archive(data, "kit.zip", (".wav",)), ""))  # type: ignore[misc]
    assert all("kit.zip" in words or not words for words in said)
    assert any(said)
