"""What a file says of its music counts: read back from our own files and made ones, hostile ones leave no trace."""

import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.audio import Audio
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.audio_hints import read_hints
from easy_pocket.core.formats.audio_marks import Marks, with_marks
from easy_pocket.core.listen.file_hints import NO_HINTS, FileHints
from easy_pocket.core.listen.loop_analysis import Corrections, analyze_loop
from easy_pocket.core.pattern.pattern import Hit, Pattern
from tests.drums import rendered

RATE = 44_100
BARE = Audio(np.random.default_rng(3).uniform(-0.4, 0.4, (RATE, 1)).astype(np.float32), RATE, "x")


def marked(audio, kind="WAV", **marks):
    data = write_audio(audio, kind, 16)
    return with_marks(data, kind, Marks("x", **marks), len(audio.samples), RATE)


@given(places=st.lists(st.integers(0, RATE - 1), max_size=40, unique=True), loops=st.booleans())
def test_marks_of_our_own_files_are_read_as_they_were_written(places, loops):
    places = sorted(places)
    data = marked(BARE, markers=tuple((at / RATE, "bar") for at in places), loops=loops)
    found = read_hints(data)
    assert np.allclose(found.markers_s, np.array(places) / RATE)
    assert found.loop_s == ((0.0, 1.0) if loops else None)


def test_the_tempo_of_a_flac_is_read_from_its_tags():
    assert read_hints(marked(BARE, "FLAC", tempo_bpm=92.5)) == FileHints(92.5)
    assert read_hints(write_audio(BARE, "FLAC", 16)) == NO_HINTS


@given(noise=st.binary(max_size=400), size=st.integers(0, 2**32 - 1), name=st.sampled_from([b"smpl", b"cue ", b"LIST"]))
def test_broken_chunks_are_no_hints_and_no_error(noise, size, name):
    data = write_audio(BARE, "WAV", 16) + name + struct.pack("<I", size) + noise
    found = read_hints(data)
    assert all(0 <= one < 1 for one in found.markers_s)
    assert found.loop_s is None or 0 <= found.loop_s[0] < found.loop_s[1] <= 1
    assert read_hints(noise) == NO_HINTS
    assert read_hints(b"fLaC" + noise) == NO_HINTS


# The same bar four times, every 8th alike: nothing in it says where bars begin.
EIGHTHS = Pattern(4 * 3840, tuple(Hit("hat_closed", tick, 90) for tick in range(0, 4 * 3840, 480)))


@pytest.mark.parametrize(("bars", "tempo_bpm"), [(2, 60), (4, 120), (8, 240)])
def test_markers_and_tempi_decide_between_readings_that_are_close(bars, tempo_bpm):
    audio, _ = rendered(EIGHTHS, 120.0)
    length_s = len(audio.samples) / RATE
    lines = tuple(length_s * bar / bars for bar in range(bars))
    by_markers = analyze_loop(audio, hints=read_hints(marked(audio, markers=tuple((at, "") for at in lines))))
    assert by_markers.reading.bars == bars  # eight can be of three beats as well
    by_tag = analyze_loop(audio, hints=read_hints(marked(audio, "FLAC", tempo_bpm=float(tempo_bpm))))
    if tempo_bpm < 200:  # faster than anyone plays 8ths: a tag alone does not make one believe it
        assert (by_tag.reading.bars, round(by_tag.reading.tempo_bpm)) == (bars, tempo_bpm)
    shares = [one.confidence for one in by_tag.readings]
    assert shares == sorted(shares, reverse=True)
    assert sum(shares) <= 1 + 1e-9


def test_a_wrong_hint_does_not_overrule_what_is_heard_and_a_hand_overrules_all():
    audio, performance = rendered(Pattern(EIGHTHS.length_ticks, ROCK_TWICE), 120.0)
    assert performance.length_ms == pytest.approx(8000)
    wrong = analyze_loop(audio, hints=FileHints(163.0, (1.0, 1.3), (0.1, 0.31, 0.77)))
    plain = analyze_loop(audio)
    assert (wrong.reading.bars, wrong.reading.tempo_bpm) == (plain.reading.bars, plain.reading.tempo_bpm)
    by_hand = analyze_loop(audio, Corrections(bars=2), hints=FileHints(120.0))
    assert by_hand.reading.bars == 2


ROCK_TWICE = tuple(
    Hit(voice, bar * 3840 + tick, velocity)
    for bar in range(4)
    for voice, tick, velocity in [("kick", 0, 112), ("snare", 960, 108), ("kick", 1920, 104), ("snare", 2880, 110),
                                  *(("hat_closed", at, 84) for at in range(0, 3840, 480))]
)  # fmt: skip
