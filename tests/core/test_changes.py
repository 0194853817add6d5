"""What leads from one beat to another: made again from its changes, told in order, one key for one thing."""

from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.ideas.change import changes_between, key_of, with_changes
from easy_pocket.core.pattern.pattern import Hit, Pattern

VOICES = ("kick", "snare", "hat_closed", "tom_low")
places = st.dictionaries(st.tuples(st.sampled_from(VOICES), st.integers(0, 15)), st.integers(1, 127), max_size=16)


def pattern_of(chosen):
    return Pattern(3840, tuple(Hit(voice, slot * 240, velocity) for (voice, slot), velocity in chosen.items()))


@given(places, places)
def test_the_changes_lead_from_one_to_the_other_and_no_further(one, other):
    before, after = pattern_of(one), pattern_of(other)
    changes = changes_between(before, after.hits)
    assert with_changes(before, changes).hits == after.hits
    assert changes_between(after, after.hits) == ()


@given(places, places)
def test_they_are_told_in_order_of_place(one, other):
    changes = changes_between(pattern_of(one), pattern_of(other).hits)
    ticks = [(change.gone or change.come)[0].tick for change in changes]
    assert ticks == sorted(ticks)
    assert all(change.words for change in changes)


@given(places, places, st.data())
def test_some_of_the_changes_leave_the_other_places_as_they_were(one, other, data):
    before, after = pattern_of(one), pattern_of(other)
    changes = changes_between(before, after.hits)
    kept = [change for change in changes if data.draw(st.booleans())]
    made = with_changes(before, kept)
    touched = {(hit.voice, hit.tick) for change in kept for hit in (*change.gone, *change.come)}
    for place in set(before.by_place) | set(made.by_place):
        if place not in touched:
            assert made.by_place.get(place) == before.by_place.get(place)


@given(places, places)
def test_the_key_is_of_what_goes_and_comes_and_not_of_how_it_is_told(one, other):
    changes = changes_between(pattern_of(one), pattern_of(other).hits)
    assert key_of(changes, 3840) == key_of(list(reversed(changes)), 3840)
    assert len(key_of(changes, 3840)) == 16
    if changes:
        assert key_of(changes[1:], 3840) != key_of(changes, 3840)
    assert key_of(changes, 1920) != key_of(changes, 3840)


def test_one_that_goes_and_one_that_comes_in_one_place_are_a_change_of_voice():
    before, after = pattern_of({("snare", 4): 90}), pattern_of({("tom_low", 4): 90})
    (change,) = changes_between(before, after.hits)
    assert change.kind == "voice"
    assert (change.gone[0].voice, change.come[0].voice) == ("snare", "tom_low")


def test_two_that_go_where_one_comes_are_three_changes():
    before = pattern_of({("snare", 4): 90, ("kick", 4): 90})
    changes = changes_between(before, pattern_of({("tom_low", 4): 90}).hits)
    assert sorted(change.kind for change in changes) == ["add", "remove", "remove"]


def test_another_velocity_is_a_change_of_it():
    before = pattern_of({("snare", 4): 90})
    (change,) = changes_between(before, pattern_of({("snare", 4): 40}).hits)
    assert change.kind == "velocity"


def test_only_hits_that_can_have_changed_are_looked_at():
    before = pattern_of({("snare", 4): 90, ("kick", 0): 100})
    snare = before.by_place["snare", 960]
    assert changes_between(before, (), among=[snare])[0].gone == (snare,)
