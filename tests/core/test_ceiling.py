"""The ceiling: no true peak over it, nothing touched that is under it."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.limiter import limited, true_peak_db, true_peaks


def mixes(count: int) -> list[np.ndarray]:
    """Random mixes of noise bursts, tones and clicks, most of them too loud."""
    rng = np.random.default_rng(11)
    found = []
    for _ in range(count):
        frames = int(rng.integers(2_000, 9_000))
        time = np.arange(frames)
        line = rng.standard_normal((2, frames)) * np.exp(-(time % int(rng.integers(500, 4000))) / rng.uniform(50, 900))
        line += rng.uniform(0, 1.5) * np.sin(time * rng.uniform(0.01, 3.0) + rng.uniform(0, 6))
        if rng.random() < 0.3:
            line[:, rng.integers(0, frames, 5)] += rng.uniform(-3, 3, 5)
        found.append(line * rng.uniform(0.05, 2))
    return found


def test_no_true_peak_is_over_the_ceiling(deep: bool) -> None:
    rng = np.random.default_rng(12)
    worst = -99.0
    for line in mixes(1000 if deep else 120):
        ceiling = float(rng.uniform(-6, 0))
        after, gain = limited(line, ceiling)
        known = np.abs(signal.resample_poly(after, 4, 1, axis=1, window=("kaiser", 10.0))).max()
        worst = max(worst, 20 * np.log10(known) - ceiling)
        assert gain.max() <= 1 + 1e-12
        assert gain.min() > 0
    assert worst < 0.1


def test_what_is_under_the_ceiling_is_left_alone() -> None:
    quiet = 0.5 * np.random.default_rng(1).uniform(-1, 1, (2, 5000))
    after, gain = limited(quiet, 0.0)
    assert (after == quiet).all()
    assert (gain == 1).all()


def test_the_gain_is_down_when_the_peak_comes_and_comes_back() -> None:
    line = np.full((2, 3 * RATE_HZ), 0.1)
    line[:, RATE_HZ : RATE_HZ + 20] = 2.0
    _, gain = limited(line, -1.0)
    assert gain[RATE_HZ - 80] == 1
    assert gain[RATE_HZ] <= 10 ** (-1 / 20) / 2 + 1e-6
    assert np.abs(np.diff(gain)).max() < 0.02  # a straight line over the look-ahead, no step
    assert gain[RATE_HZ + RATE_HZ] > 0.99


def test_a_true_peak_between_samples_is_found() -> None:
    time = np.arange(4000)
    tone = np.sin(2 * np.pi * time / 4 + np.pi / 4)[None, :] * np.ones((2, 1))
    assert np.abs(tone).max() == pytest.approx(0.7071, abs=1e-3)
    assert true_peaks(tone)[100:-100].max() == pytest.approx(1.0, abs=0.01)
    assert true_peak_db(np.zeros((2, 10))) == -120
