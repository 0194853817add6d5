"""What drum models are made of, against plain formulas; and what every model keeps to whatever it is asked for."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as few
from hypothesis import strategies as st

from easy_pocket.core.sound.controls import CONTROLS
from easy_pocket.core.sound.models import MODELS
from easy_pocket.core.sound.tones import (
    RATE_HZ,
    band_pass,
    decay,
    driven,
    high_pass,
    low_pass,
    swept_sine,
    times,
    tone,
    tones,
)


@pytest.mark.parametrize("length_s", [0.001, 0.5, 1.37])
@pytest.mark.parametrize("tau_s", [0.003, 0.2])
def test_a_decay_is_the_exponential(length_s, tau_s):
    t = times(length_s)
    assert len(t) == int(length_s * RATE_HZ)
    assert np.abs(decay(t, tau_s) - np.exp(-t / tau_s)).max() < 1e-9


@given(st.floats(30, 15_000), st.floats(0.005, 2), st.floats(0, 6.28))
def test_a_tone_is_the_sine_that_dies_away(hz, tau_s, phase):
    t = times(0.05)
    wanted = np.sin(2 * np.pi * hz * t + phase) * np.exp(-t / tau_s)
    assert np.abs(tone(t, hz, tau_s, phase) - wanted).max() < 1e-6


def test_tones_are_the_sum_of_their_tones():
    t = times(0.1)
    hz, tau_s, level = np.array([200.0, 331.0, 907.0]), np.array([0.1, 0.05, 0.02]), np.array([1.0, 0.5, 0.25])
    apart = sum(level[n] * tone(t, hz[n], tau_s[n]) for n in range(3))
    assert np.abs(tones(t, hz, tau_s, np.zeros(3), level) - apart).max() < 1e-9


def test_a_sweep_ends_on_its_last_frequency():
    t = times(0.5)
    x = swept_sine(t, 400.0, 50.0, 0.02)
    turns = np.flatnonzero((x[:-1] < 0) & (x[1:] >= 0))
    late = turns[turns > RATE_HZ // 4]
    assert RATE_HZ / np.diff(late).mean() == pytest.approx(50.0, rel=0.01)
    early = turns[turns < 0.01 * RATE_HZ]
    assert RATE_HZ / np.diff(early).mean() > 150.0


@pytest.mark.parametrize(
    ("through", "kept_hz", "lost_hz"),
    [
        (lambda x: low_pass(x, 1000, order=2), 100, 10_000),
        (lambda x: high_pass(x, 1000, order=2), 10_000, 100),
        (lambda x: band_pass(x, 900, 1100, order=2), 1000, 100),
    ],
)
def test_filters_let_through_what_they_are_for(through, kept_hz, lost_hz):
    t = times(0.5)
    level = {hz: through(np.sin(2 * np.pi * hz * t))[len(t) // 2 :].std() * np.sqrt(2) for hz in (kept_hz, lost_hz)}
    assert level[kept_hz] == pytest.approx(1.0, abs=0.03)
    assert level[lost_hz] < 0.02


@given(st.floats(0, 1))
def test_drive_keeps_full_scale_and_the_sign(amount):
    x = np.linspace(-1, 1, 201)
    bent = driven(x, amount)
    assert bent[0] == pytest.approx(-1.0)
    assert bent[-1] == pytest.approx(1.0)
    assert (np.diff(bent) > 0).all()
    assert (np.abs(bent) >= np.abs(x) - 1e-12).all()


@st.composite
def model_settings(draw):
    name = draw(st.sampled_from(sorted(MODELS)))
    values = {one.name: draw(st.floats(one.low, one.high)) for one in CONTROLS[name].values()}
    return name, values


@few(max_examples=60)
@given(model_settings(), st.floats(0, 1), st.integers(0, 999))
def test_every_model_is_finite_the_same_each_time_and_ends_softly(chosen, strength, seed):
    name, values = chosen
    x = MODELS[name](values, strength, np.random.default_rng(seed))
    again = MODELS[name](values, strength, np.random.default_rng(seed))
    assert np.isfinite(x).all()
    assert (x == again).all()
    assert 64 <= len(x) <= 30 * RATE_HZ
    loudest = np.abs(x).max()
    assert np.abs(x[-32:]).max() <= 0.1 * loudest + 1e-9


@pytest.mark.parametrize("name", ["kick", "snare", "tom", "hat", "cymbal"])
def test_struck_harder_is_brighter(name):
    values = {one.name: one.default for one in CONTROLS[name].values()}

    def brightness(strength):
        x = MODELS[name](values, strength, np.random.default_rng(4))
        power = np.abs(np.fft.rfft(x)) ** 2
        hz = np.fft.rfftfreq(len(x), 1 / RATE_HZ)
        return float((power * hz).sum() / power.sum())

    assert brightness(1.0) > brightness(0.2)
