"""Grids that fit hits: the one they were made on, with its swing, and little for hits that lie anywhere."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as few
from hypothesis import strategies as st

from easy_pocket.core.listen.grid_fit import grid_fit
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.tempo import beat_accents, usual
from easy_pocket.core.pattern.timebase import Metre

BEAT_S = 0.5


def hits(per_beat, beats=16, swing=50.0, beat_s=BEAT_S):
    slot = np.arange(beats * per_beat)
    times = slot * beat_s / per_beat
    return times + (slot % 2) * (swing / 50 - 1) * beat_s / per_beat


@pytest.mark.parametrize("per_beat", [2, 3, 4])
@pytest.mark.parametrize("phase_s", [0.0, 0.13])
def test_hits_on_a_grid_fit_it(per_beat, phase_s):
    times = hits(per_beat) + phase_s
    fit, grid = grid_fit(times, np.ones(len(times)), BEAT_S, phase_s)
    assert grid.per_beat == per_beat
    assert fit > 0.9


@pytest.mark.parametrize(("per_beat", "swing"), [(4, 58.0), (4, 64.0), (2, 60.0)])
def test_swing_is_found_with_the_grid(per_beat, swing):
    times = hits(per_beat, swing=swing)
    fit, grid = grid_fit(times, np.ones(len(times)), BEAT_S)
    assert grid.per_beat == per_beat
    assert grid.swing_percent == pytest.approx(swing, abs=2.1)
    assert fit > 0.85


def test_8ths_swung_as_far_as_triplets_are_triplets():
    times = hits(2, swing=66.7)
    assert grid_fit(times, np.ones(len(times)), BEAT_S)[1].per_beat in (3, 6)


@few(max_examples=25)
@given(st.integers(0, 9999))
def test_hits_that_lie_anywhere_fit_no_grid_well(seed):
    times = np.sort(np.random.default_rng(seed).uniform(0, 8, 64))
    assert grid_fit(times, np.ones(64), BEAT_S)[0] < 0.5


@given(st.lists(st.floats(0, 20), min_size=1, max_size=30), st.floats(0.25, 1.2))
def test_a_fit_is_never_better_than_exact(times, beat_s):
    assert grid_fit(np.sort(times), np.ones(len(times)), beat_s)[0] <= 1.0


def test_a_loud_hit_off_the_grid_costs_more_than_a_soft_one():
    times = np.append(hits(4), 3.06)
    order = np.argsort(times)
    loud, soft = np.ones(len(times)), np.ones(len(times))
    loud[-1], soft[-1] = 4.0, 0.05
    fit_loud = grid_fit(times[order], loud[order], BEAT_S)[0]
    assert fit_loud < grid_fit(times[order], soft[order], BEAT_S)[0]


def backbeat(beats=8):
    times = np.arange(beats) * BEAT_S
    low = np.where(np.arange(beats) % 2 == 0, 0.9, 0.05)
    bands = np.stack([low, 0.95 - low, np.full(beats, 0.05)], axis=1)
    return Onsets(times, np.ones(beats), np.full(beats, 20.0), bands, beats * BEAT_S)


def test_a_backbeat_is_low_on_one_and_middle_on_two():
    found = beat_accents(backbeat(), BEAT_S, 8)
    assert found.low[0::2] == pytest.approx(np.ones(4))
    assert (found.low[1::2] < 0.3).all()
    assert found.middle[1::2] == pytest.approx(np.ones(4))
    assert found.middle_on_beats == pytest.approx(1.0)


def test_usual_tempi_metres_and_lengths_cost_less():
    four, five = Metre(4, 4), Metre(5, 4)
    assert usual(112.0, four, 2) == pytest.approx(0.0, abs=0.05)
    assert usual(112.0, four, 2) > usual(60.0, four, 2)
    assert usual(112.0, four, 2) > usual(112.0, five, 2)
    assert usual(112.0, four, 2) > usual(112.0, four, 3)
    assert all(usual(tempo, four, 2) <= 0 for tempo in (50.0, 90.0, 112.0, 180.0, 220.0))
