"""A mix that does not fit into its file: told by how much, when and because of what, and made to fit."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.sound.headroom import (
    BLOCK,
    MeasuredMix,
    WouldClipError,
    block_peaks,
    clipping_of,
    fitting,
    louder,
)


def mixed_of(*sources: tuple[str, float, int]) -> MeasuredMix:
    """Sources as (name, size, sample): one sample each."""
    lines = {name: np.zeros((10 * BLOCK, 2), dtype=np.float32) for name, _, _ in sources}
    for name, size, at in sources:
        lines[name][at, 1] = size
    total = np.sum(list(lines.values()), axis=0, dtype=np.float32)
    return MeasuredMix(Audio(total, 44_100), {name: block_peaks(line) for name, line in lines.items()})


def test_what_fits_is_left_as_it_is():
    mixed = mixed_of(("Drums", 0.999, 5000))
    assert clipping_of(mixed) is None
    assert fitting(mixed, 16) is mixed.audio


def test_told_by_how_much_when_and_what_is_loud_there():
    mixed = mixed_of(("Drums", 0.9, 44_10), ("Shakers", -0.2, 100), ("Bells", 0.6, 44_10), ("Faint", 0.001, 44_10))
    found = clipping_of(mixed)
    assert found is not None
    assert found.over_db == pytest.approx(20 * np.log10(1.501), abs=1e-4)
    assert found.at_s == pytest.approx(0.1)
    assert [name for name, _ in found.loudest] == ["Drums", "Bells"]
    assert found.loudest[0][1] == pytest.approx(20 * np.log10(0.9), abs=1e-4)
    assert found.take_off_db == 3.6
    with pytest.raises(WouldClipError) as raised:
        fitting(mixed, 24)
    words = str(raised.value)
    assert words.startswith(
        "This would clip: it goes 3.5 dB over full scale, most at 0:00.1. Loudest there: Drums −0.9 dB"
    )
    assert "Take 3.6 dB off" in words


@given(st.floats(1.0001, 8.0), st.sampled_from([16, 24]))
def test_what_is_said_to_be_taken_off_is_enough_and_no_more_than_needed(size, bits):
    mixed = mixed_of(("Drums", size, 3000))
    clipping = clipping_of(mixed)
    assert clipping is not None
    softer = fitting(mixed, bits, take_off_db=clipping.take_off_db)
    assert 10 ** (-0.11 / 20) < np.abs(softer.samples).max() <= 1.0


def test_thirty_two_bits_and_on_request_any_mix_are_written_as_they_are():
    mixed = mixed_of(("Drums", 1.5, 3000))
    assert fitting(mixed, 32) is mixed.audio
    assert fitting(mixed, 16, as_it_is=True) is mixed.audio


@pytest.mark.parametrize("off", [-0.1, 60.1, float("nan"), float("inf")])
def test_an_amount_out_of_bounds_is_refused(off):
    with pytest.raises(BadValueError, match="what is taken off"):
        fitting(mixed_of(("Drums", 0.5, 1)), 16, take_off_db=off)


def test_peaks_of_blocks_and_of_the_louder_of_two():
    samples = np.zeros((BLOCK + 1, 2))
    samples[BLOCK - 1, 0], samples[BLOCK, 1] = -0.5, 0.25
    assert block_peaks(samples).tolist() == [0.5, 0.25]
    assert louder(np.array([0.5]), block_peaks(samples)[::-1]).tolist() == [0.5, 0.5]
    assert len(block_peaks(np.zeros((0, 2)))) == 0
