"""The rhythm of a fill: how many hits go to each slot, which slots there are, and which of them the line takes."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.ideas.fill_endings import ENDINGS
from easy_pocket.core.ideas.fill_rhythm import Ground, choose_slots, ground, shares
from easy_pocket.core.ideas.fill_settings import SUBDIVISIONS, on_subdivision, steps_of
from easy_pocket.core.pattern.metrical import weights
from easy_pocket.core.pattern.timebase import Metre

FOUR, SIX = Metre(4, 4), Metre(6, 8)
SLOTS = np.arange(0, 3840, 240)


def test_hits_are_dealt_out_evenly_when_the_density_stays():
    assert shares(16, SLOTS, 0, 3840, (1.0, 1.0)).tolist() == [1] * 16
    half = shares(8, SLOTS, 0, 3840, (1.0, 1.0))
    assert half.max() == 1
    assert [int(half[at : at + 4].sum()) for at in range(0, 16, 4)] == [2, 2, 2, 2]


@given(st.integers(0, 60), st.floats(0.1, 4), st.floats(0.1, 4), st.integers(1, 16))
def test_not_a_hit_is_lost_or_doubled_by_dealing(wanted, first, last, count):
    found = shares(wanted, SLOTS[:count], 0, 3840, (first, last))
    assert found.sum() == wanted
    assert (found >= 0).all()


def test_a_rising_density_has_more_hits_at_its_end():
    rising = shares(12, SLOTS, 0, 3840, (0.5, 2.0))
    falling = shares(12, SLOTS, 0, 3840, (2.0, 0.5))
    assert rising[:8].sum() < 6 < rising[8:].sum()
    assert falling[:8].sum() > 6 > falling[8:].sum()


def test_nothing_is_dealt_out_where_there_is_nothing():
    assert shares(5, SLOTS[:0], 0, 3840, (1, 1)).size == 0
    assert shares(0, SLOTS, 0, 3840, (1, 1)).tolist() == [0] * 16


@pytest.mark.parametrize("metre", [FOUR, SIX, Metre(7, 8), Metre(3, 4)])
@pytest.mark.parametrize("subdivision", list(SUBDIVISIONS))
@pytest.mark.parametrize("ending", list(ENDINGS))
def test_slots_lie_in_the_window_on_the_subdivision_and_before_the_ending(metre, subdivision, ending):
    end = metre.bar_ticks
    begin = end - 2 * metre.pulse_ticks
    for seed in range(6):
        found = ground(ending, begin, end, subdivision, metre, np.random.default_rng(seed))
        slots = found.slots.tolist()
        assert slots == sorted(set(slots))
        assert all(begin <= tick < (end if found.last is None else found.last) for tick in slots)
        assert on_subdivision(slots, subdivision, metre) or subdivision == "mixed"
        steps = steps_of(subdivision, metre)
        assert all(any(tick % step == 0 for step in steps) for tick in slots)


def test_a_burst_is_of_few_32nds_late_in_the_fill():
    for seed in range(20):
        found = ground("crash", 1920, 3840, "32", FOUR, np.random.default_rng(seed))
        burst = [tick for tick in found.slots.tolist() if tick % 240]
        assert 1 <= len(burst) <= 3
        assert min(burst) >= 1920 + (3840 - 1920) // 4


def test_strong_slots_are_taken_for_few_off_beats_and_weak_ones_for_many():
    all_slots = Ground(SLOTS, None, 3840)
    one_each = np.zeros(16, dtype=np.int64)
    one_each[::2] = 1  # two hits a beat

    def mean_weight(offbeat):
        found = []
        for seed in range(30):
            line, _ = choose_slots(all_slots, one_each, 1.0, offbeat, FOUR, np.random.default_rng(seed))
            found.append(float(np.mean(weights(np.array(line), FOUR))))
        return np.mean(found)

    assert mean_weight(0.0) > mean_weight(0.5) > mean_weight(1.0)


@given(st.integers(0, 2**32 - 1), st.floats(0.3, 1.0), st.one_of(st.none(), st.floats(0, 1)))
def test_the_line_and_what_is_left_over_are_all_hits(seed, line_share, offbeat):
    rng = np.random.default_rng(seed)
    per_slot = rng.integers(0, 3, 16)
    line, extra = choose_slots(Ground(SLOTS, None, 3840), per_slot, line_share, offbeat, FOUR, rng)
    assert len(line) + sum(extra.values()) == per_slot.sum()
    assert line == sorted(set(line))
    assert set(line) <= set(SLOTS.tolist())
