"""A guide whose tempo moves: its bars are found, and become stretches of one tempo each."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.audio import Audio
from easy_pocket.core.listen.guide import OFF_MS, guide_beat, stretch_of, tempo_stretches
from easy_pocket.core.pattern.timebase import COMMON_TIME
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.core.sound.tones import RATE_HZ
from tests.drums import ROCK, beat

BARS = 24


def lines_of(tempi_bpm):
    return 0.7 + np.concatenate([[0.0], np.cumsum(240.0 / np.asarray(tempi_bpm))])


def moving(lines_s):
    """The rock beat played along bar lines, each hit by a hand."""
    dice = np.random.default_rng(4)
    audio = np.zeros(round((lines_s[-1] + 1) * RATE_HZ))
    kit = HOUSE_KITS["boathouse"]
    hits = beat(ROCK).hits
    pattern_bars = max(hit.tick for hit in hits) // 3840 + 1
    for bar, (start, end) in enumerate(pairwise(lines_s)):
        for hit in hits:
            if hit.tick // 3840 != bar % pattern_bars:
                continue
            voice = kit.voice(hit.voice)
            sound = voice_audio(voice, len(voice.stretches) - 1).mean(axis=1) * hit.velocity / 300
            at = round((start + hit.tick % 3840 / 3840 * (end - start) + dice.normal(0, 0.002)) * RATE_HZ)
            count = min(len(sound), len(audio) - at)
            audio[at : at + count] += sound[:count]
    return Audio(audio[:, None].astype(np.float32), RATE_HZ, "a rough mix")


def test_the_bars_of_a_guide_that_moves_are_found():
    lines_s = lines_of(100 + 6 * np.sin(np.arange(BARS) / 5))
    found = guide_beat(moving(lines_s), COMMON_TIME)
    assert found.bar_one_s == pytest.approx(0.7, abs=0.012)
    assert len(found.lines_s) == BARS + 1
    assert np.abs(np.array(found.lines_s) - lines_s).max() < 0.012
    assert "it moves from 94 to 106" in found.words


def test_a_steady_guide_is_one_tempo_as_long_as_a_stretch_may_be():
    stretches = tempo_stretches(lines_of([96.0] * 40), COMMON_TIME)
    assert [one.bars for one in stretches] == [16, 16, 8]
    assert all(one.tempo_bpm == pytest.approx(96, abs=1e-4) for one in stretches)


@given(st.lists(st.floats(60, 180), min_size=1, max_size=60))
def test_stretches_are_all_bars_and_none_lies_further_off_than_asked(tempi):
    lines_s = lines_of(tempi)
    stretches = tempo_stretches(lines_s, COMMON_TIME)
    assert [one.first for one in stretches] == list(np.cumsum([0, *[one.bars for one in stretches[:-1]]]))
    assert sum(one.bars for one in stretches) == len(tempi)
    assert all(one.off_ms <= OFF_MS for one in stretches if one.bars > 1)
    played_s = sum(one.bars * 240 / one.tempo_bpm for one in stretches)
    assert played_s == pytest.approx(lines_s[-1] - lines_s[0], abs=1e-3)


def test_a_stretch_of_two_tempi_says_how_far_off_its_middle_is():
    one = stretch_of([0.0, 2.0, 4.4], 0, 2, COMMON_TIME)
    assert one.tempo_bpm == pytest.approx(2 * 240 / 4.4, abs=1e-5)
    assert one.off_ms == pytest.approx(200)
