"""Four times as many samples and back: what comes through, what is kept out, and that pieces are the whole."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as few
from hypothesis import strategies as st
from scipy import signal

from easy_pocket.core.stage.oversampling import TAPS, TIMES, UP_AND_DOWN, bent_between, down, up

RATE_HZ = 44_100


def noise(frames, channels=2, seed=5):
    return np.random.default_rng(seed).normal(0, 0.2, (channels, frames))


def test_up_is_the_filter_over_samples_with_three_zeros_between():
    x = noise(700)
    spread = np.zeros((2, 700 * TIMES))
    spread[:, ::TIMES] = x * TIMES
    wanted = signal.lfilter(UP_AND_DOWN, 1.0, spread, axis=1)
    assert up(x).shape == (2, 2800)
    assert np.abs(up(x) - wanted).max() < 1e-5


def test_down_is_the_filter_and_every_fourth_value():
    x = noise(4 * 500)
    wanted = signal.lfilter(UP_AND_DOWN, 1.0, x, axis=1)[:, ::TIMES]
    assert down(x).shape == (2, 500)
    assert np.abs(down(x) - wanted).max() < 1e-5


@pytest.mark.parametrize(("hz", "least_db", "most_db"), [(100, -0.1, 0.1), (10_000, -0.1, 0.1), (16_000, -0.5, 0.5)])
def test_what_is_heard_comes_through_there_and_back(hz, least_db, most_db):
    t = np.arange(RATE_HZ // 2) / RATE_HZ
    x = np.sin(2 * np.pi * hz * t)[None]
    back = down(up(x))[0, 2000:]
    level_db = 20 * np.log10(back.std() / x[0, 2000:].std())
    assert least_db < level_db < most_db


def test_what_would_fold_back_is_kept_out():
    response = signal.freqz(UP_AND_DOWN, 1.0, [26_000, 30_000, 44_100, 70_000], fs=TIMES * RATE_HZ)[1]
    assert (20 * np.log10(np.abs(response)) < [-40, -45, -55, -65]).all()


def test_the_filter_is_of_least_phase_and_moves_no_hit_by_more_than_a_few_frames():
    energy = np.cumsum(UP_AND_DOWN**2) / np.sum(UP_AND_DOWN**2)
    assert int(np.searchsorted(energy, 0.9)) < TAPS // 3
    x = np.zeros((1, 400))
    x[0, 100] = 1.0
    assert abs(int(np.abs(down(up(x))[0]).argmax()) - 100) <= 6  # 0.14 ms


@few(max_examples=12)
@given(st.integers(1, 40_000), st.integers(1, 2))
def test_a_bend_in_pieces_is_the_bend_of_the_whole(frames, channels):
    x = noise(frames, channels, seed=frames)
    wanted = down(np.tanh(3 * up(x)).astype(np.float32))
    assert np.abs(bent_between(x, lambda one: np.tanh(3 * one)) - wanted).max() < 1e-5


def test_a_bend_that_does_nothing_is_there_and_back():
    x = noise(5000)
    assert np.abs(bent_between(x, lambda one: one) - down(up(x))).max() < 1e-6
