"""Two parts on one sound at one moment: found wherever it happens, and settled as it was chosen, hit by hit."""

from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.song.collisions import APART_MS, resolve_collisions, sharing, struck_twice
from easy_pocket.core.song.hit_columns import hit_columns_of_hits
from easy_pocket.core.song.part import Part
from tests.core.songs import BEAT, SHAKER, small

VOICES = ("kick", "snare", "shaker")
lines = st.dictionaries(st.tuples(st.sampled_from(VOICES), st.integers(0, 15)), st.integers(1, 127), max_size=14)


def line_of(chosen):
    listed = sorted(
        (Hit(voice, slot * 240, velocity) for (voice, slot), velocity in chosen.items()),
        key=lambda h: (h.tick, h.voice),
    )
    return hit_columns_of_hits(listed)


def two(kit="boathouse", **one):
    return Part(1, "One", {10: BEAT}, kit="boathouse", **one), Part(2, "Two", {20: SHAKER}, kit=kit)


def test_parts_on_one_kit_share_its_sounds_and_others_do_not():
    one, other = two()
    assert sharing((other, one)) == [(one, other)]
    assert sharing(two(kit="net_loft")) == []


@given(lines, lines)
def test_what_both_strike_at_once_is_found_and_nothing_else(here, there):
    one, other = line_of(here), line_of(there)
    found = {(voice, int(one.tick[mine])) for voice, places, _ in struck_twice(one, other) for mine in places.tolist()}
    assert found == {(voice, slot * 240) for voice, slot in set(here) & set(there)}
    for _, mine, theirs in struck_twice(one, other):
        assert one.tick[mine].tolist() == other.tick[theirs].tolist()


def settled(choice, here, there):
    song = small(parts=two(), collision_choices={(1, 2, voice): choice for voice in VOICES})
    after = resolve_collisions(song, {1: line_of(here), 2: line_of(there)})
    return [{(hit.voice, hit.tick): hit for hit in after[key].hits()} for key in (1, 2)]


@given(lines, lines)
def test_kept_they_stay_as_they_are(here, there):
    one, other = settled("keep", here, there)
    assert len(one) == len(here)
    assert len(other) == len(there)


@given(lines, lines)
def test_dropped_the_harder_one_stays_and_no_place_is_struck_twice(here, there):
    one, other = settled("drop", here, there)
    assert not set(one) & set(other)
    for (voice, slot), velocity in {**here, **there}.items():
        place = (voice, slot * 240)
        left = one.get(place) or other.get(place)
        assert left is not None
        assert left.velocity == max(here.get((voice, slot), 0), there.get((voice, slot), 0)) >= min(velocity, 127)


@given(lines, lines)
def test_set_apart_the_second_part_comes_later_and_nothing_is_lost(here, there):
    one, other = settled("offset", here, there)
    assert len(one) == len(here)
    assert len(other) == len(there)
    for voice, slot in there:
        late = APART_MS if (voice, slot) in here else 0.0
        assert other[voice, slot * 240].offset_ms == late


def test_without_a_choice_nothing_is_touched():
    both = {1: line_of({("kick", 0): 90}), 2: line_of({("kick", 0): 60})}
    assert resolve_collisions(small(parts=two()), both) is both


def test_a_part_that_is_not_heard_strikes_nothing():
    assert sharing(two(mute=True)) == []
    assert sharing(two(solo=True)) == []
