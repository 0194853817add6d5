"""Audio and template files: there and back, and refusals in words."""

import json
import struct

import numpy as np
import pytest

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import AudioRefusedError, BadValueError
from easy_pocket.core.feel.template import GrooveTemplate, Lane
from easy_pocket.core.formats.audio_file import read_audio, write_audio
from easy_pocket.core.formats.groove_json import SCHEMA_PATH, dump_template, load_template, template_to_doc
from easy_pocket.core.pattern.timebase import Metre
from tests.drums import raw_wav, wav_bytes

NOISE = (np.random.default_rng(3).standard_normal((5000, 2)) * 0.2).astype(np.float32)


@pytest.mark.parametrize(
    ("kind", "bits", "tolerance"), [("WAV", 16, 3.2e-5), ("WAV", 24, 2e-7), ("WAV", 32, 0), ("FLAC", 24, 2e-7)]
)
def test_audio_there_and_back(kind, bits, tolerance):
    back = read_audio(write_audio(Audio(NOISE, 44_100), kind, bits), "x")
    assert back.rate_hz == 44_100
    np.testing.assert_allclose(back.samples, NOISE, atol=tolerance)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", r"empty \(0 bytes\)"),
        (b"RIFF this is only text", "no audio that can be read"),
        (b"some words\n" * 50, "no audio that can be read"),
        (raw_wav(b"", claimed=3 * 3600 * 88_200), "header but no samples"),
        (raw_wav(b"\1\0"), "holds 1 sample"),
        (raw_wav(b"\0" * 400, rate_hz=1000), "claims 1000 samples a second"),
        (
            wav_bytes(np.concatenate([np.zeros(100), [0.5]]), bits=32).replace(
                np.float32(0.5).tobytes(), np.float32(np.nan).tobytes()
            ),
            "no numbers",
        ),
    ],
)
def test_what_is_no_audio_says_why(data, words):
    with pytest.raises(AudioRefusedError, match=words):
        read_audio(data, "x.wav")


def test_odd_but_good_files_are_read():
    eight_bit = raw_wav(bytes([128, 200] * 500), rate_hz=8000, bits=8)
    assert read_audio(eight_bit, "x.wav").rate_hz == 8000
    assert read_audio(raw_wav(b"\0\1" * 500, claimed=10**9), "promises.wav").samples.shape == (500, 1)
    assert read_audio(write_audio(Audio(NOISE, 192_000), "WAV", 24), "x").rate_hz == 192_000


@pytest.mark.parametrize("comment", ["", "an odd one"])
def test_a_wav_of_floats_does_not_say_when_it_was_written(comment):
    data = write_audio(Audio(NOISE, 44_100), "WAV", 32, comment)
    at = data.index(b"PEAK")
    assert struct.unpack_from("<4sIII", data, at)[2:] == (1, 0)  # its version, and no seconds since 1970
    assert read_audio(data, "x.wav").samples == pytest.approx(NOISE, abs=1e-7)


DISTINCT = GrooveTemplate(
    "Low Tide",
    91.5,
    3,
    {
        "all": Lane(
            (1.5, -2.5, 3.25, 4, 5, 6),
            (0.1, 0.2, 0.3, 0.4, 0.5, 1),
            (1, 2, 3, 4, 5, 6),
            (7, 8, 9, 10, 11, 12),
            (True, False, True, False, False, False),
        ),
        "high": Lane((0.5,) * 6, (0.9,) * 6),
    },
    bars=2,
    metre=Metre(3, 8),
    source="loop.wav",
)


def test_a_template_there_and_back():
    assert load_template(dump_template(DISTINCT), "t.json") == DISTINCT


def test_the_shipped_schema_names_every_field():
    schema = json.loads(SCHEMA_PATH.read_text())
    doc = template_to_doc(DISTINCT)
    assert set(doc) <= set(schema["properties"])
    assert set(schema["required"]) <= set(doc)
    assert set(doc["lanes"]["all"]) == set(schema["properties"]["lanes"]["additionalProperties"]["properties"])


def spoiled(**changes):
    doc = template_to_doc(DISTINCT)
    lane = doc["lanes"]["all"]
    for name, value in changes.items():
        (lane if name in lane else doc)[name] = value
    return json.dumps(doc)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("nonsense", "is not JSON"),
        ("[]", "no groove template"),
        (spoiled(format="other/1"), "no groove template"),
        (spoiled(offset_ms=[]), "0 offsets|0 slots"),
        (spoiled(offset_ms=[400, 0, 0, 0, 0, 0]), "offset of template slot 1 is 400 ms"),
        (spoiled(offset_ms=[None, 0, 0, 0, 0, 0]), "no number"),
        (spoiled(accent=[float("nan")] * 6), "no number"),
        (spoiled(slots_per_bar=1000), "slots per bar is 1000"),
        (spoiled(slots_per_bar=0), "slots per bar is 0"),
        (spoiled(tempo_bpm=-5), "tempo is -5 bpm"),
        (spoiled(lanes={}), "no lane 'all'"),
        (spoiled(metre={"beats": 4}), "lacks 'unit'"),
    ],
)
def test_a_spoiled_template_says_what_is_wrong(text, words):
    with pytest.raises(BadValueError, match=words):
        load_template(text, "t.json")
