"""The click: on bars and beats of any metre, through changes of tempo."""

from __future__ import annotations

import numpy as np
import pytest

from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.clicks import KINDS, click_sound, loop_clicks, song_clicks
from easy_pocket.core.song.section import Section
from easy_pocket.core.sound.tones import RATE_HZ


def test_two_bars_of_four_click_on_bars_beats_and_halves() -> None:
    clicks = loop_clicks(2 * 3840, Metre(4, 4), 120.0)
    assert clicks.bar_s == pytest.approx(2.0)
    np.testing.assert_allclose(clicks.times_s, np.arange(16) * 0.25)
    assert clicks.kinds.tolist() == [0, 2, 1, 2, 1, 2, 1, 2] * 2


def test_six_eighths_are_counted_in_two_with_thirds_between() -> None:
    clicks = loop_clicks(2880, Metre(6, 8), 120.0)
    np.testing.assert_allclose(clicks.times_s, np.arange(6) * 0.25)
    assert clicks.kinds.tolist() == [0, 2, 2, 1, 2, 2]


def test_a_song_clicks_through_changes_of_tempo_and_metre() -> None:
    sections = (
        Section(1, "Verse", 1, repeats=2, cells={}),
        Section(2, "Break", 1, tempo_bpm=60.0, metre=Metre(3, 4), cells={}),
    )
    clicks = song_clicks(Arrangement(tempo_bpm=120.0, metre=Metre(4, 4), parts=(), sections=sections, seed=1))
    beats = clicks.kinds < 2
    np.testing.assert_allclose(clicks.times_s[beats], [*np.arange(8) * 0.5, 4.0, 5.0, 6.0])
    assert clicks.kinds[beats].tolist() == [0, 1, 1, 1, 0, 1, 1, 1, 0, 1, 1]
    assert clicks.bar_s == pytest.approx(2.0)


@pytest.mark.parametrize("kind", KINDS)
def test_a_click_is_short_whole_and_higher_on_the_bar(kind: str) -> None:
    x = click_sound(kind)[:, 0]
    assert len(x) < 0.05 * RATE_HZ
    assert abs(x[0]) < 1e-6
    assert abs(x[-1]) < 1e-3
    assert 0.1 < np.abs(x).max() <= 0.75


def test_the_three_clicks_fall_in_pitch_and_level() -> None:
    sounds = [click_sound(kind)[:, 0] for kind in KINDS]
    pitches = [int(np.abs(np.fft.rfft(x, 8192)).argmax()) for x in sounds]
    assert pitches == sorted(pitches, reverse=True)
    sizes = [float((x**2).sum()) for x in sounds]
    assert sizes == sorted(sizes, reverse=True)
