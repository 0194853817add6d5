"""Hits as columns: the same hits there and back, laid together, put in order, and cut, whatever they are."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.pattern.articulation import PLAIN, Articulation
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.song.hit_columns import (
    NOTHING,
    hit_columns,
    hit_columns_of_hits,
    merge_columns,
)

VOICES = ("kick", "snare", "hat_closed")
FLAM = Articulation("flam", grace_ms=24.0)
ROLL = Articulation("ratchet", strokes=4, span_ticks=240)
hits = st.lists(
    st.builds(
        Hit,
        st.sampled_from(VOICES),
        st.integers(0, 3839),
        st.integers(1, 127),
        st.floats(-50, 50),
        st.integers(0, 4),
        st.sampled_from([PLAIN, FLAM, ROLL]),
    ),
    max_size=25,
    unique_by=lambda hit: (hit.voice, hit.tick),
)


def order(listed):
    return sorted(listed, key=lambda hit: (hit.tick, hit.voice))


@given(hits)
def test_single_hits_come_back_as_they_were(listed):
    assert list(hit_columns_of_hits(listed).hits()) == listed


@given(hits)
def test_a_pattern_comes_back_in_its_order(listed):
    pattern = Pattern(3840, tuple(listed))
    assert hit_columns(pattern).hits() == pattern.hits
    assert hit_columns(pattern) is hit_columns(pattern)


@given(hits)
def test_in_order_is_by_tick_then_voice(listed):
    assert list(hit_columns_of_hits(listed).in_order().hits()) == order(listed)


@given(hits, hits)
def test_of_two_in_one_place_the_one_laid_on_later_stays(below, above):
    merged = merge_columns([hit_columns_of_hits(below), hit_columns_of_hits(above)]).in_order()
    wanted = {(hit.voice, hit.tick): hit for hit in [*below, *above]}
    assert list(merged.hits()) == order(wanted.values())


@given(st.lists(hits, max_size=4))
def test_merged_lines_hold_all_hits_in_the_order_given(lines):
    merged = merge_columns([hit_columns_of_hits(line) for line in lines])
    assert list(merged.hits()) == [hit for line in lines for hit in line]


@given(hits, st.sets(st.sampled_from(VOICES)))
def test_hits_of_some_voices_are_told(listed, voices):
    columns = hit_columns_of_hits(listed)
    assert list(columns.take(columns.of(voices)).hits()) == [hit for hit in listed if hit.voice in voices]


@given(hits)
def test_as_the_core_plays_it_only_voices_with_hits_are_there_by_name(listed):
    columns = hit_columns_of_hits(listed).in_order()
    arrays = columns.arrays()
    assert arrays.voices == tuple(sorted({hit.voice for hit in listed}))
    assert [arrays.voices[index] for index in arrays.voice_index.tolist()] == [hit.voice for hit in order(listed)]
    assert [place for place, _ in arrays.articulated] == [
        place for place, hit in enumerate(order(listed)) if hit.articulation != PLAIN
    ]


@given(hits, st.integers(0, 10_000))
def test_a_line_is_moved_as_a_whole(listed, by):
    columns = hit_columns_of_hits(listed)
    moved = columns.at(columns.tick + by)
    assert [hit.tick for hit in moved.hits()] == [hit.tick + by for hit in listed]
    assert [hit.velocity for hit in moved.hits()] == [hit.velocity for hit in listed]


def test_nothing_is_nothing():
    assert len(NOTHING) == 0
    assert merge_columns([]) is NOTHING
    assert merge_columns([NOTHING, NOTHING]) is NOTHING
    assert NOTHING.in_order().hits() == ()
    assert NOTHING.arrays().voices == ()
    assert not NOTHING.of(VOICES).any()
    assert NOTHING.at(np.zeros(0, dtype=np.int64)).hits() == ()
