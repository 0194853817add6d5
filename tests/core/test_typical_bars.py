"""Bars worth keeping out of a long recording: what is proposed, and what is cut."""

from __future__ import annotations

import numpy as np
import pytest

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.listen.loop_analysis import Corrections, analyze_loop
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Grid, Reading
from easy_pocket.core.listen.typical_bars import EARLY_S, kept_bars, proposals
from easy_pocket.core.pattern.timebase import Metre
from tests.drums import ROCK, beat, rendered

BAR_S = 2.0
EIGHT = Reading(120.0, Metre(4, 4), 8, 0.0, Grid(4), 1.0, 1.0, 1.0)


def heard(offsets_s: list[float], odd_bar: int | None = None) -> Onsets:
    """Four hits in each of eight bars, low and middle in turn, each bar a little off; one bar has others."""
    times, bands = [], []
    for bar, off_s in enumerate(offsets_s):
        steps = (0.0, 0.25, 0.625, 0.875) if bar == odd_bar else (0.0, 0.25, 0.5, 0.75)
        for number, step in enumerate(steps):
            times.append(bar * BAR_S + step * BAR_S + (off_s if number % 2 else -off_s))
            bands.append([0.9, 0.1, 0.0] if number % 2 == 0 else [0.1, 0.9, 0.0])
    count = len(times)
    return Onsets(np.array(times) + 1e-4, np.ones(count), np.full(count, 20.0), np.array(bands), 8 * BAR_S)


def test_the_odd_bar_is_not_proposed_and_the_steadiest_bars_are() -> None:
    found = proposals(heard([0.02, 0.02, 0.018, 0.02, 0.001, 0.001, 0.02, 0.02], odd_bar=1), EIGHT)
    assert [one.bars for one in found] == [1, 2, 4, 2]
    assert found[0].words == "the most typical bar"
    assert all(not one.from_bar <= 2 < one.from_bar + one.bars for one in found)
    assert (found[-1].from_bar, found[-1].words) == (5, "nearest the grid, 1 ms round it")


def test_nothing_is_proposed_of_two_bars_or_of_none_that_are_heard() -> None:
    short = Reading(120.0, Metre(4, 4), 2, 0.0, Grid(4), 1.0, 1.0, 1.0)
    assert proposals(heard([0.0] * 2), short) == []
    nothing = Onsets(np.zeros(0), np.zeros(0), np.zeros(0), np.zeros((0, 3)), 16.0)
    assert proposals(nothing, EIGHT) == []


def test_bars_are_cut_at_their_lines_to_the_sample_and_an_early_first_hit_is_not_cut_off() -> None:
    rate = 4000
    audio = Audio(np.arange(16 * rate, dtype=np.float32)[:, None], rate, "pier.wav")
    onsets = heard([0.0] * 8)
    cut, one_s = kept_bars(audio, onsets, EIGHT, 3, 2)
    assert (len(cut.samples), one_s, cut.name) == (16_000, 0.0, "pier, bars 3-4.wav")
    assert cut.samples[100, 0] == 16_100
    early = heard([0.0, 0.0, 0.02, 0.0, 0.0, 0.0, 0.0, 0.0])
    cut, one_s = kept_bars(audio, early, EIGHT, 3, 2)
    assert len(cut.samples) == 16_000
    assert one_s == pytest.approx(0.0219, abs=1e-4)
    assert cut.samples[100, 0] == 16_100 - 88
    assert one_s < EARLY_S
    with pytest.raises(BadValueError, match="Bars 8 to 9 are not all there: this recording has 8"):
        kept_bars(audio, onsets, EIGHT, 8, 2)


def test_bars_that_are_kept_are_heard_as_the_bars_they_are() -> None:
    once, _ = rendered(beat(ROCK), 112.0)
    long = Audio(np.tile(once.samples, (4, 1)), once.rate_hz, "long.wav")
    whole = analyze_loop(long)
    cut, one_s = kept_bars(long, whole.onsets, whole.reading, 3, 2)
    again = analyze_loop(cut, Corrections(bars=2, metre=whole.reading.metre, cut_s=one_s))
    assert again.reading.bars == 2
    assert again.reading.tempo_bpm == pytest.approx(112.0, rel=1e-3)
    assert len(again.onsets) == pytest.approx(len(whole.onsets) / whole.reading.bars * 2, abs=2)


def test_what_was_cut_to_its_bars_is_read_as_these_though_its_hits_fit_another_tempo() -> None:
    audio, _ = rendered(beat(ROCK), 118.0)
    frames = round(2 * 4 * 60 / 104 * audio.rate_hz)  # two bars of a song at 104, of a loop at 118
    cut = Audio(np.tile(audio.samples, (2, 1))[:frames], audio.rate_hz, "guide.wav")
    alone = analyze_loop(cut, Corrections(bars=2, metre=Metre(4, 4)))
    assert alone.reading.tempo_bpm == pytest.approx(118, abs=1)
    known = analyze_loop(cut, Corrections(bars=2, metre=Metre(4, 4), cut_s=0.01))
    assert known.reading.tempo_bpm == pytest.approx(104, abs=1e-3)
    assert known.reading.bar_one_s == 0.01
    less = analyze_loop(cut, Corrections(bars=2, metre=Metre(4, 4), cut_s=0.01, removed_s=(known.onsets.time_s[3],)))
    assert less.reading.tempo_bpm == known.reading.tempo_bpm  # whatever else is corrected
    assert less.reading.bar_one_s == 0.01
