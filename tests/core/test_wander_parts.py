"""What the fit of drift and jitter stands on: a covariance, what is left of a drift in a short take, intervals."""

import numpy as np
import pytest
from scipy import stats

from easy_pocket.core.takes.wander_fit import STRETCH, Stretch, autocovariance, fit_wander, t_interval, variance_left

SLOPES = (0.0, 0.5, 1.0, 1.5, 2.0)


def stretch(slots, y=None):
    slots = np.asarray(slots)
    zeros = np.zeros(len(slots))
    return Stretch(slots, zeros.astype(np.int64), zeros if y is None else y, np.ones(len(slots)))


@pytest.mark.parametrize("slope", SLOPES)
def test_it_is_a_covariance_of_variance_1_that_comes_round(slope):
    found = autocovariance(slope)
    assert found.shape == (STRETCH,)
    assert found[0] == pytest.approx(1.0)
    assert np.abs(found).max() <= 1.0 + 1e-9
    assert found[1:] == pytest.approx(found[1:][::-1], abs=1e-9)
    assert (np.fft.rfft(found).real > -1e-9).all()


def test_white_noise_has_no_memory_and_a_steeper_slope_a_longer_one():
    assert np.abs(autocovariance(0.0)[1:]).max() < 0.01
    at_100 = [autocovariance(slope)[100] for slope in SLOPES]
    assert at_100 == sorted(at_100)


@pytest.mark.parametrize("slope", [0.5, 1.0, 1.5])
def test_of_a_drift_less_is_left_in_a_shorter_take(slope):
    left = [variance_left([stretch(np.arange(length))], slope) for length in (16, 64, 256, 1024)]
    assert left == sorted(left)
    assert 0 < left[0] < left[-1] < 1


def test_what_is_left_is_what_draws_have_left():
    slope, length = 1.0, 64
    dice = np.random.default_rng(5)
    power = np.zeros(STRETCH // 2 + 1)
    power[1:] = np.arange(1, STRETCH // 2 + 1) ** (-slope / 2)
    turned = power * np.exp(2j * np.pi * dice.random((400, len(power))))
    drawn = np.fft.irfft(turned, STRETCH)
    drawn /= drawn.std()
    measured = np.mean([one[:length].var() for one in drawn])
    assert variance_left([stretch(np.arange(length))], slope) == pytest.approx(measured, rel=0.1)


@pytest.mark.parametrize("freedom", [3, 20, 500])
def test_an_interval_is_students(freedom):
    found = t_interval(10.0, 2.0, freedom)
    wide = stats.t.ppf(0.975, freedom) * 2.0
    assert (found.value, found.low, found.high) == pytest.approx((10.0, 10.0 - wide, 10.0 + wide))


def test_without_freedom_an_interval_is_still_one():
    found = t_interval(1.0, 0.5, 0)
    assert found.low < found.value < found.high


@pytest.mark.parametrize("jitter", [2.0, 5.0])
def test_a_player_who_only_jitters_is_told_to(jitter):
    dice = np.random.default_rng(8)
    slots = np.repeat(np.arange(96), 2)
    found = fit_wander([stretch(slots, dice.normal(0, jitter, len(slots)))], 1)
    assert found.jitter_sd.value == pytest.approx(jitter, rel=0.15)
    assert found.jitter_sd.low <= jitter <= found.jitter_sd.high
    assert found.drift_sd.value < 0.6 * jitter


def test_the_means_of_the_cells_are_found_beside_what_wanders():
    dice = np.random.default_rng(9)
    slots = np.repeat(np.arange(80), 2)
    cell = np.tile([0, 1], 80)
    y = np.where(cell == 0, -6.0, 9.0) + dice.normal(0, 2.0, 160)
    found = fit_wander([Stretch(slots, cell.astype(np.int64), y, np.ones(160))], 2)
    assert found.means == pytest.approx([-6.0, 9.0], abs=0.7)
