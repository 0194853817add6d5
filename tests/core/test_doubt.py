"""What has no steady beat is said to have none, and why; what has one is not doubted."""

import re

import numpy as np
import pytest

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.beat_check import beat_doubt
from easy_pocket.core.listen.loop_analysis import Corrections, analyze_loop
from easy_pocket.core.pattern.timebase import Metre
from tests.drums import ROCK, beat, rendered

RATE_HZ = 44_100


def mono(tempo_bpm):
    return rendered(beat(ROCK), tempo_bpm)[0].samples[:, 0]


def doubt(x, corrections=None):
    heard = analyze_loop(Audio(np.asarray(x, dtype=np.float32), RATE_HZ, "it"), corrections)
    return beat_doubt(heard.onsets, heard.reading), heard


def speech(seed):
    """Voiced and hissed syllables of any length, as somebody talks."""
    dice = np.random.default_rng(seed)
    x, at_s = np.zeros(RATE_HZ * 6), 0.2
    while at_s < 5.6:
        frames, start = int(dice.uniform(0.08, 0.3) * RATE_HZ), int(at_s * RATE_HZ)
        t = np.arange(frames) / RATE_HZ
        voiced = sum(np.sin(2 * np.pi * dice.uniform(90, 180) * number * t) / number for number in range(1, 12))
        sound = dice.standard_normal(frames) / 2 if dice.random() < 0.4 else voiced
        x[start : start + frames] += (sound * np.hanning(frames))[: len(x) - start] * dice.uniform(0.06, 0.2)
        at_s += frames / RATE_HZ + dice.exponential(0.06)
    return x


@pytest.mark.parametrize("seed", range(16))
def test_speech_has_no_beat(seed):
    """Nothing in it is taken for a hit, or so little that it is said."""
    try:
        words, heard = doubt(speech(seed))
    except NoHitsError as error:
        words, count = str(error), 0
    else:
        count = len(heard.onsets)
    assert count < 8
    assert re.search("holds no hits|1 hit was heard|I can't find a steady beat here, because ", words)
    assert count == 0 or "by hand" in words


@pytest.mark.parametrize("seed", range(4))
def test_hits_anywhere_lie_on_no_common_grid(seed):
    dice = np.random.default_rng(seed)
    x = np.zeros(RATE_HZ * 6)
    for at in dice.integers(0, len(x) - 3000, 30):
        x[at : at + 2000] += 0.3 * dice.standard_normal(2000) * np.exp(-np.arange(2000) / 300)
    assert "lie on no common grid" in doubt(x)[0]


@pytest.mark.parametrize("tempi", [(112.0, 139.0), (100.0, 131.0), (120.0, 97.0), (140.0, 95.0)])
def test_two_tempi_one_after_another_are_named(tempi):
    """Also those whose beats happen to fall on one grid or can be followed."""
    words = doubt(np.concatenate([mono(tempo_bpm) for tempo_bpm in tempi]))[0]
    assert f"at {tempi[0]:.0f} bpm at first and at {tempi[1]:.0f} later" in words


@pytest.mark.parametrize("change", ["plain", "silence first", "dc", "out of phase"])
def test_a_beat_is_not_doubted(change):
    x = mono(112.0)
    if change == "silence first":
        x = np.concatenate([np.zeros(round(RATE_HZ * 4 * 60 / 112)), x])
    elif change == "dc":
        x = x + 0.3
    elif change == "out of phase":
        x = np.stack([x, -x], axis=1)
    words, heard = doubt(x)
    assert words == ""
    assert heard.reading.tempo_bpm == pytest.approx(112, rel=0.002)


def test_what_the_user_set_is_not_doubted():
    x = speech(1)
    assert doubt(x)[0]
    assert doubt(x, Corrections(bars=2, metre=Metre(4, 4)))[0] == ""
