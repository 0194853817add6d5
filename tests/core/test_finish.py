"""A mix made ready to be taken away: loudness, rate and bits, against what they are asked to be."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as few
from hypothesis import strategies as st

from easy_pocket.core.sound.loudness import programme_loudness_lufs
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.finish import as_file_audio, at_loudness, at_rate_hz, dithered


def sine(hz, seconds=1.0, level=0.5, rate_hz=RATE_HZ):
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    return np.tile(level * np.sin(2 * np.pi * hz * t), (2, 1))


def pulses(seconds=4.0):
    dice = np.random.default_rng(3)
    x = np.zeros((2, round(seconds * RATE_HZ)))
    for at in range(0, x.shape[1] - 4410, 11025):
        x[:, at : at + 4410] += dice.normal(0, 0.2, (2, 4410)) * np.exp(-np.arange(4410) / 900)
    return x


@pytest.mark.parametrize("wanted", [-30.0, -24.0, -18.0])
def test_a_loudness_that_is_asked_for_is_reached_under_the_ceiling(wanted):
    found = at_loudness(pulses(), -1.0, wanted, loops=False)
    assert programme_loudness_lufs(found.T) == pytest.approx(wanted, abs=0.2)
    assert np.abs(found).max() <= 10 ** (-1 / 20) + 1e-3


def test_no_loudness_asked_for_leaves_it_where_nothing_is_over_the_ceiling():
    x = pulses() * 0.5
    found = at_loudness(x, -1.0, None, loops=False)
    assert programme_loudness_lufs(found.T) == pytest.approx(programme_loudness_lufs(x.T), abs=0.01)


def test_silence_stays_silence_whatever_loudness_is_asked_for():
    assert np.abs(at_loudness(np.zeros((2, RATE_HZ)), -1.0, -14.0, loops=False)).max() == 0.0


@pytest.mark.parametrize("rate_hz", [48_000, 88_200, 96_000])
@pytest.mark.parametrize("loops", [False, True])
def test_another_rate_has_the_same_tone_and_the_length_to_the_sample(rate_hz, loops):
    x = sine(441.0)
    found = at_rate_hz(x, rate_hz, loops=loops)
    assert found.shape == (2, round(x.shape[1] * rate_hz / RATE_HZ))
    wanted = sine(441.0, rate_hz=rate_hz)[:, : found.shape[1]]
    middle = slice(rate_hz // 10, -rate_hz // 10)
    assert np.abs(found[:, middle] - wanted[:, middle]).max() < 1e-5


@pytest.mark.parametrize("rate_hz", [48_000, 96_000])
def test_the_seam_of_a_loop_stays_closed_at_another_rate(rate_hz):
    found = at_rate_hz(sine(441.0), rate_hz, loops=True)[0]  # 441 whole turns: the end meets the beginning
    turning = np.concatenate([found[-200:], found[:200]])
    bend = np.abs(np.diff(turning, 2)).max()
    assert bend == pytest.approx(np.abs(np.diff(found[1000:1400], 2)).max(), rel=0.02)


def test_our_own_rate_is_not_touched_and_nothing_stays_nothing():
    x = pulses(1.0)
    assert at_rate_hz(x, RATE_HZ, loops=True) is x
    assert at_rate_hz(np.zeros((2, 0)), 48_000, loops=False).shape == (2, 0)


def test_dither_is_two_steps_wide_of_no_mean_and_the_same_each_time():
    x = np.full((2, 200_000), 0.3)
    noise = (dithered(x, 16) - x) * 32768
    assert np.abs(noise).max() <= 1.0
    assert abs(noise.mean()) < 0.01
    assert noise.var() == pytest.approx(1 / 6, rel=0.02)  # triangular over two steps
    assert (dithered(x, 16) == dithered(x, 16)).all()


@pytest.mark.parametrize("bits", [24, 32])
def test_more_bits_need_no_dither(bits):
    x = pulses(0.5)
    assert dithered(x, bits) is x


def test_a_tone_below_one_step_lives_on_in_dithered_16_bits():
    x = sine(1000.0, 4.0, level=0.4 / 32768)
    plain, noisy = np.rint(x * 32768), np.rint(dithered(x, 16) * 32768)
    assert np.abs(plain).max() == 0.0
    turn = np.exp(-2j * np.pi * 1000.0 * np.arange(x.shape[1]) / RATE_HZ)
    assert 2 * abs((noisy[0] * turn).mean()) == pytest.approx(0.4, rel=0.1)


def test_silence_in_a_file_of_16_bits_is_digital_silence():
    assert np.abs(dithered(np.zeros((2, 1000)), 16)).max() == 0.0


@few(max_examples=15)
@given(st.sampled_from([44_100, 48_000, 88_200]), st.sampled_from([16, 24, 32]), st.booleans(), st.integers(64, 3000))
def test_file_audio_has_the_rate_the_length_and_two_channels(rate_hz, bits, loops, frames):
    made = as_file_audio(
        np.random.default_rng(1).normal(0, 0.1, (2, frames)), "x", rate_hz=rate_hz, bits=bits, loops=loops
    )
    assert made.rate_hz == rate_hz
    assert made.samples.shape == (round(frames * rate_hz / RATE_HZ), 2)
    assert made.samples.dtype == np.float32
