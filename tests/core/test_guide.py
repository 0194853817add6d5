"""The guide: its beat, its picture, the bars of a span; and what was played to nothing."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import AudioRefusedError, BadValueError, NoHitsError
from easy_pocket.core.listen.guide import COLUMNS, GuideBeat, guide_beat, guide_frames, guide_picture, whole_bars
from easy_pocket.core.listen.onsets import detect_onsets
from easy_pocket.core.listen.ranked_readings import rank_readings
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre
from easy_pocket.core.takes.free_time import free_readings
from easy_pocket.core.takes.played import played_from_rows
from tests.drums import ROCK, beat, rendered


def quiet_before(audio, lead_s):
    lead = np.zeros((round(lead_s * audio.rate_hz), audio.samples.shape[1]), dtype=np.float32)
    return Audio(np.concatenate([lead, *[audio.samples] * 4]), audio.rate_hz, "guide.wav")


@pytest.mark.parametrize(("tempo_bpm", "lead_s"), [(92.0, 0.0), (104.0, 7.42), (126.0, 1.3)])
def test_its_tempo_and_its_bar_one_are_found(tempo_bpm, lead_s):
    audio, _ = rendered(beat(ROCK), tempo_bpm)
    found = guide_beat(quiet_before(audio, lead_s), COMMON_TIME)
    assert found.tempo_bpm == pytest.approx(tempo_bpm, rel=0.01)
    bar_s = 4 * 60 / tempo_bpm
    off = (found.bar_one_s - lead_s + bar_s / 2) % bar_s - bar_s / 2
    assert abs(off) < 0.02
    assert found.words == f"{found.tempo_bpm:.1f} bpm"


def test_a_sound_without_a_beat_says_so_and_silence_is_refused():
    rate = 44_100
    click = np.zeros((2 * rate, 1), dtype=np.float32)
    click[rate : rate + 400, 0] = np.random.default_rng(2).normal(0, 0.2, 400)
    with pytest.raises(NoHitsError):
        rank_readings(detect_onsets(Audio(click, rate, "one.wav")))
    found = guide_beat(Audio(click, rate, "one.wav"), COMMON_TIME)
    assert found.tempo_bpm is None
    assert found.bar_one_s == pytest.approx(1.0, abs=0.01)
    assert "say where its bar one is" in found.words
    with pytest.raises(AudioRefusedError, match=r"hush\.wav is silent"):
        guide_beat(Audio(np.zeros((rate, 1), dtype=np.float32), rate, "hush.wav"), COMMON_TIME)
    assert "moves from 98 to 104" in GuideBeat(101.0, 0.0, 98.0, 104.0).words


def test_it_is_played_in_two_channels_at_the_rate_of_all_sounds():
    mono = Audio(np.random.default_rng(1).normal(0, 0.1, (22_050, 1)).astype(np.float32), 22_050, "x")
    frames = guide_frames(mono)
    assert frames.shape == (44_100, 2)
    assert np.array_equal(frames[:, 0], frames[:, 1])
    picture = guide_picture(mono)
    assert len(picture) == COLUMNS
    assert max(picture) == 1


@given(st.floats(40, 240), st.integers(1, 64), st.sampled_from([Metre(4, 4), Metre(6, 8), Metre(5, 4)]))
def test_a_span_of_whole_bars_is_these_bars_at_its_own_tempo(tempo_bpm, bars, metre):
    length_s = bars * metre.bar_ticks / 960 * 60 / tempo_bpm
    found, own_bpm = whole_bars(length_s, metre, tempo_bpm * 1.002)
    assert found == bars
    assert own_bpm == pytest.approx(tempo_bpm, rel=1e-5)


def test_a_span_of_no_bar_is_refused():
    with pytest.raises(BadValueError, match="The bars in this span"):
        whole_bars(0.3, COMMON_TIME, 120.0)


@pytest.mark.parametrize("tempo_bpm", [84.0, 100.0, 132.0])
def test_the_tempo_of_what_was_played_to_nothing_is_read(tempo_bpm):
    dice = np.random.default_rng(int(tempo_bpm))
    step_ms = 60_000 / tempo_bpm / 2
    rows = []
    for step in range(32):
        at_ms = 700 + step * step_ms + dice.normal(0, 4)
        rows.append(("hat_closed", at_ms, 60 + 30 * (step % 2 == 0)))
        if step % 8 in (0, 4):
            rows.append(("kick" if step % 8 == 0 else "snare", at_ms + 2, 115))
    first = free_readings(played_from_rows(rows), COMMON_TIME)[0]
    assert first.tempo_bpm == pytest.approx(tempo_bpm, rel=0.01)
    assert first.bars == 4
    assert first.start_ms == pytest.approx(700, abs=20)


def test_few_hits_say_no_tempo():
    with pytest.raises(BadValueError, match="3 hits say no tempo"):
        free_readings(played_from_rows([("kick", 500.0 * n, 90) for n in range(3)]), COMMON_TIME)
