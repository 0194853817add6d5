"""A lane of a groove from hits: weighted means, what is guessed, and what no hit can do to it."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.feel.lane_from_hits import lane_from_hits
from easy_pocket.core.feel.template import Lane


def lane(hits, slots=4, chosen=None, every=None):
    """hits: (slot, offset in ms, strength)."""
    slot, offset, strength = (np.array(column) for column in zip(*hits, strict=True))
    which = np.ones(len(hits), dtype=bool) if chosen is None else np.array(chosen)
    return lane_from_hits(slot.astype(np.intp), offset.astype(float), strength.astype(float), which, slots, every)


def test_every_slot_has_its_hit():
    found = lane([(0, 1.0, 1.0), (1, 12.0, 0.5), (2, -3.0, 0.25), (3, 8.0, 1.0)])
    assert found.offset_ms == (1.0, 12.0, -3.0, 8.0)
    assert found.accent == (1.0, 0.5, 0.25, 1.0)
    assert found.count == (1, 1, 1, 1)
    assert found.guessed == (False,) * 4
    assert max(found.spread_ms) == 0.0


def test_hits_of_later_bars_count_for_the_same_slot_the_loud_ones_more():
    found = lane([(0, 0.0, 1.0), (4, 10.0, 1.0)])
    assert found.offset_ms[0] == pytest.approx(5.0)
    assert found.spread_ms[0] == pytest.approx(5.0)
    assert found.count[0] == 2
    loud = lane([(0, 0.0, 1.0), (4, 10.0, 0.25)])
    assert loud.offset_ms[0] == pytest.approx(10 * 0.5 / 1.5)  # by the root of strength


def test_an_empty_slot_is_guessed_from_its_swing_phase():
    found = lane([(0, 2.0, 1.0), (1, 30.0, 0.6), (2, 4.0, 1.0)])
    assert found.offset_ms[3] == pytest.approx(30.0)
    assert found.accent[3] == pytest.approx(0.6)
    assert found.guessed == (False, False, False, True)


def test_a_phase_without_any_hit_does_what_all_hits_do():
    every = Lane((0.0, 7.0, 0.0, 9.0), (1.0, 0.4, 0.8, 0.3))
    found = lane([(0, 2.0, 1.0), (2, 4.0, 1.0)], every=every)
    assert found.offset_ms[1::2] == (7.0, 9.0)
    assert found.accent[1::2] == (0.4, 0.3)
    alone = lane([(0, 2.0, 1.0), (2, 4.0, 1.0)])
    assert alone.offset_ms[1::2] == (0.0, 0.0)


def test_hits_that_do_not_count_change_nothing():
    hits = [(0, 2.0, 1.0), (1, 5.0, 0.5), (2, 100.0, 1.0), (3, 1.0, 1.0)]
    assert lane([*hits, (2, -200.0, 1.0)], chosen=[True] * 4 + [False]) == lane(hits)


@given(
    st.lists(st.tuples(st.integers(0, 63), st.floats(-200, 200), st.floats(0, 1)), min_size=1, max_size=40),
    st.integers(2, 16),
)
def test_means_lie_between_their_hits_and_accents_in_their_range(hits, slots):
    found = lane(hits, slots)
    for number in range(slots):
        mine = [offset for slot, offset, _ in hits if slot % slots == number]
        assert found.count[number] == len(mine)
        assert found.guessed[number] == (not mine)
        if mine:
            assert min(mine) - 1e-6 <= found.offset_ms[number] <= max(mine) + 1e-6
    assert all(0 <= accent <= 1 for accent in found.accent)
    assert all(spread >= 0 for spread in found.spread_ms)
