"""What is drawn of audio: no sample is lost between peaks, and a tone is where its frequency is."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.listen.waveform import BANDS, HIGHEST_HZ, LOWEST_HZ, as_int16, peaks, spectrum

RATE_HZ = 44_100


@given(st.integers(0, 2**32 - 1), st.integers(1, 3000), st.integers(1, 600))
def test_no_sample_sticks_out_of_its_peak(seed, frames, every):
    mono = as_int16(np.random.default_rng(seed).normal(0, 0.2, frames))
    drawn = peaks(mono, every).astype(np.float64) * 258
    assert len(drawn) == -(-frames // every)
    low, high = drawn[np.arange(frames) // every].T
    assert (mono >= low - 258).all()
    assert (mono <= high + 258).all()
    assert np.abs(mono).max() >= 32_766


@pytest.mark.parametrize("hz", [110.0, 1000.0, 7040.0])
def test_a_tone_is_drawn_in_its_band_and_only_while_it_sounds(hz):
    t = np.arange(RATE_HZ) / RATE_HZ
    mono = as_int16(np.where(t < 0.5, np.sin(2 * np.pi * hz * t), 0))
    drawn = spectrum(mono, RATE_HZ, 0, RATE_HZ, 100).astype(int)
    assert drawn.shape == (BANDS, 100)
    wanted = np.log(hz / LOWEST_HZ) / np.log(HIGHEST_HZ / LOWEST_HZ) * BANDS
    assert drawn[:, 20].argmax() == pytest.approx(wanted, abs=1.6)
    assert drawn[:, 20].max() > 235
    assert drawn[:, 60:].max() == 0


def test_a_stretch_is_drawn_as_it_is_in_the_whole():
    mono = as_int16(np.random.default_rng(3).normal(0, 0.1, RATE_HZ))
    whole = spectrum(mono, RATE_HZ, 0, 40_000, 100)
    part = spectrum(mono, RATE_HZ, 10_000, 10_000, 25)
    np.testing.assert_array_equal(part, whole[:, 25:50])


def test_so_many_columns_are_refused():
    with pytest.raises(BadValueError, match="number of columns"):
        spectrum(np.zeros(100, dtype=np.int16), RATE_HZ, 0, 100, 100_000)
