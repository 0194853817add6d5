"""The beat of a recording whose tempo moves: lines through hits whose place is known, and beats found without it."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.listen.beat_tracking import (
    fit_bar_lines,
    likely_periods,
    line_times,
    made_steady,
    places_at,
    through,
    track_beats,
)
from easy_pocket.core.listen.onsets import Onsets


def onsets_at(times_s, strength=None):
    times_s = np.asarray(times_s, dtype=np.float64)
    count = len(times_s)
    return Onsets(
        times_s,
        np.ones(count) if strength is None else np.asarray(strength, dtype=np.float64),
        np.full(count, 20.0),
        np.full((count, 3), 1 / 3),
        float(times_s[-1]) + 0.5,
    )


def speeding_up(bars, first_s=2.4, each=0.97):
    """Bar lines of a player who takes every bar a little faster than the one before."""
    return np.concatenate([[0.0], np.cumsum(first_s * each ** np.arange(bars))])


def test_through_meets_the_known_places_and_goes_on_straight():
    known, becomes = np.array([0.0, 1.0, 2.0, 3.0]), np.array([10.0, 12.0, 14.0, 16.0])
    assert through(known, known, becomes).tolist() == becomes.tolist()
    assert through(np.array([-1.0, 0.5, 5.0]), known, becomes).tolist() == [8.0, 11.0, 20.0]


@given(st.lists(st.floats(0.1, 3.0), min_size=2, max_size=8), st.lists(st.floats(-5, 40), min_size=1, max_size=20))
def test_through_never_turns_back(steps, asked):
    known = np.concatenate([[0.0], np.cumsum(steps)])
    becomes = np.concatenate([[1.0], 1.0 + np.cumsum(np.asarray(steps) * 0.7)])
    found = through(np.sort(asked), known, becomes)
    assert (np.diff(found) >= -1e-9).all()


@pytest.mark.parametrize("bars", [4, 8, 16])
def test_lines_of_a_player_who_speeds_up_are_found_from_his_hits(bars):
    lines = speeding_up(bars)
    places = np.arange(bars * 8) / 8
    found = fit_bar_lines(places, line_times(lines, places), np.ones(len(places)), bars)
    assert found.shape == (bars + 1,)
    assert np.abs(found - lines).max() < 0.004


def test_what_is_late_within_the_bar_stays_with_the_hit():
    bars = 8
    lines = np.arange(bars + 1) * 2.0
    places = np.arange(bars * 4) / 4
    late_s = np.where(np.arange(len(places)) % 4 == 1, 0.02, 0.0)  # every second beat is 20 ms late
    found = fit_bar_lines(places, line_times(lines, places) + late_s, np.ones(len(places)), bars)
    tempo = np.diff(found)
    assert np.abs(tempo - 2.0).max() < 0.006


def test_a_loud_hit_says_more_about_the_line_than_a_soft_one():
    places = np.arange(16) / 4
    times_s = places * 2.0
    times_s[8] += 0.05
    loud, soft = np.ones(16), np.ones(16)
    loud[8], soft[8] = 4.0, 0.01
    near = fit_bar_lines(places, times_s, loud, 4)
    far = fit_bar_lines(places, times_s, soft, 4)
    assert abs(near[2] - 4.0) > abs(far[2] - 4.0)
    assert abs(far[2] - 4.0) < 0.002


def test_bars_without_a_hit_follow_their_neighbours():
    places = np.array([0, 0.25, 0.5, 0.75, 3, 3.25, 3.5, 3.75])
    found = fit_bar_lines(places, places * 1.9, np.ones(8), 4)
    assert np.abs(found - np.arange(5) * 1.9).max() < 1e-6


@given(st.integers(2, 12), st.floats(0.97, 1.03), st.lists(st.floats(-0.5, 12.5), min_size=1, max_size=30))
def test_places_are_the_inverse_of_times(bars, each, asked):
    lines = speeding_up(bars, 2.0, each)
    places = np.sort(np.clip(asked, -0.5, bars + 0.5))
    back = places_at(lines, line_times(lines, places))
    assert np.abs(back - places).max() < 2e-3


def test_line_times_meet_the_lines():
    lines = speeding_up(9)
    assert np.abs(line_times(lines, np.arange(10.0)) - lines).max() < 1e-9


@pytest.mark.parametrize("period_s", [0.4, 0.5, 0.62])
def test_the_period_of_even_hits_is_among_the_likely_ones(period_s):
    found = likely_periods(onsets_at(np.arange(40) * period_s))
    assert min(abs(one - period_s) for one in found) <= 0.011


@pytest.mark.parametrize("each", [1.0, 0.999, 1.001])
def test_beats_are_followed_though_the_tempo_moves(each):
    beats = np.concatenate([[0.3], 0.3 + np.cumsum(0.5 * each ** np.arange(60))])
    loud = np.where(np.arange(61) % 2 == 0, 1.0, 0.7)
    found = track_beats(onsets_at(beats, loud), 0.5)
    assert len(found) >= 56
    nearest = np.abs(found[:, None] - beats[None]).min(axis=1)
    assert np.percentile(nearest, 90) < 0.03


def test_too_few_beats_are_none():
    assert track_beats(onsets_at([0.0, 0.5]), 0.5).size == 0


def test_made_steady_an_even_beat_stays_and_a_wandering_one_is_even():
    even = np.arange(10) * 0.5
    assert made_steady(even, even) == pytest.approx(even)
    wandering = even + 0.03 * np.sin(np.arange(10))
    steady = made_steady(wandering, wandering)
    assert np.ptp(np.diff(steady)) < 1e-9
