"""How far apart beats are: nothing is nearer to itself than 0, and each difference costs what it should."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.ideas.distance import density, distance, distances, within
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre

VOICES = ("kick", "snare", "hat_closed")


def hits_of(places):
    return tuple(
        sorted(
            (Hit(voice, tick * 240, velocity) for (voice, tick), velocity in places.items()),
            key=lambda hit: (hit.tick, hit.voice),
        )
    )


beats = st.dictionaries(
    st.tuples(st.sampled_from(VOICES), st.integers(0, 15)), st.integers(1, 127), min_size=1, max_size=20
).map(hits_of)


@given(st.lists(beats, min_size=2, max_size=5))
def test_distances_are_symmetric_between_0_and_1_and_0_to_itself(lists):
    table = distances(lists)
    assert table == pytest.approx(table.T)
    assert (np.diag(table) == 0).all()
    assert ((table >= 0) & (table <= 1 + 1e-9)).all()


@given(beats)
def test_a_beat_is_nowhere_near_an_empty_one(hits):
    assert distances([hits, ()])[0, 1] == pytest.approx(1.0)


@given(beats, st.sampled_from(VOICES), st.integers(16, 31))
def test_one_hit_more_costs_its_share(hits, voice, slot):
    more = (*hits, Hit(voice, slot * 240, 90))
    assert distances([hits, more])[0, 1] == pytest.approx(1 / len(more))


def test_another_voice_in_the_same_slot_is_one_change_not_two():
    one = (Hit("kick", 0, 90), Hit("snare", 960, 90))
    other = (Hit("kick", 0, 90), Hit("rim", 960, 90))
    assert distances([one, other])[0, 1] == pytest.approx(1 / 2)


@pytest.mark.parametrize(("velocity", "cost"), [(90, 0.0), (100, 0.0), (40, 0.5), (120, 0.5)])
def test_another_class_of_velocity_costs_half(velocity, cost):
    one, other = (Hit("snare", 0, 90),), (Hit("snare", 0, velocity),)
    assert distances([one, other])[0, 1] == pytest.approx(cost)


def test_offsets_and_a_few_ticks_do_not_count():
    one = Pattern(3840, (Hit("snare", 960, 90),))
    assert distance(one, Pattern(3840, (Hit("snare", 962, 90),))) == 0.0
    assert distance(one, Pattern(3840, (Hit("snare", 960, 90, 12.0),))) == 0.0


@pytest.mark.parametrize(("metre", "per_beat"), [(Metre(4, 4), 2.0), (Metre(6, 8), 3.0)])
def test_density_counts_beats_as_one_counts_them(metre, per_beat):
    eighths = Pattern(
        metre.bar_ticks, tuple(Hit("hat_closed", tick, 90) for tick in range(0, metre.bar_ticks, 480)), metre
    )
    assert density(eighths, 0, metre.bar_ticks) == pytest.approx(per_beat)


def test_within_takes_the_first_tick_and_leaves_the_last():
    pattern = Pattern(3840, tuple(Hit("kick", tick, 90) for tick in (0, 960, 1920)))
    assert [hit.tick for hit in within(pattern, 0, 1920)] == [0, 960]
