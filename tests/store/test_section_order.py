"""Sections in the order in which they were started."""

from __future__ import annotations

import pytest

from easy_pocket.core.errors import PocketError
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import read_song
from tests.drums import ROCK, beat
from tests.editing import do, step


@pytest.fixture
def song_id(store):
    """Verse of 4 bars, Verse 2 of 2 bars played twice."""
    with store.transaction() as session:
        song_id = create_song(session, "Lamplighter", tempo_bpm=104, hits=beat(ROCK).hits).id
    first = read_song(store.reader, song_id).sections[0].id
    do(store, song_id, "section_set", section_id=first, field="bars", value=4)
    second = do(store, song_id, "section_add").song.sections[-1].id
    do(store, song_id, "section_set", section_id=second, field="bars", value=2)
    do(store, song_id, "section_set", section_id=second, field="repeats", value=2)
    return song_id


def ids(store, song_id):
    return [one.id for one in read_song(store.reader, song_id).sections]


def plan(store, song_id):
    return [(one.name, one.bars, one.repeats) for one in read_song(store.reader, song_id).sections]


def test_whole_sections_change_places_and_come_again_as_copies(store, song_id):
    verse, second = ids(store, song_id)
    names = [name for name, _, _ in plan(store, song_id)]
    before = plan(store, song_id)
    made = do(store, song_id, "section_order", played=[(second, 4), (verse, 4), (second, 2)])
    assert made.words.startswith("the order that was played: 3 sections")
    after = plan(store, song_id)
    assert [(bars, repeats) for _, bars, repeats in after] == [(2, 2), (4, 1), (2, 1)]
    assert [name for name, _, _ in after][:2] == [names[1], names[0]]
    assert ids(store, song_id)[:2] == [second, verse]
    cells = [one.cells for one in made.song.sections]
    assert cells[2] == cells[0]
    step(store, song_id, "undo")
    assert plan(store, song_id) == before


def test_a_section_that_was_left_early_is_kept_as_long_as_it_was_played(store, song_id):
    verse, second = ids(store, song_id)
    do(store, song_id, "section_order", played=[(verse, 1), (second, 3), (verse, 4)])
    assert [(bars, repeats) for _, bars, repeats in plan(store, song_id)] == [(1, 1), (2, 1), (1, 1), (4, 1)]
    assert read_song(store.reader, song_id).arrangement.bars == 8


def test_what_was_not_played_comes_last_and_nothing_is_lost(store, song_id):
    verse, second = ids(store, song_id)
    made = do(store, song_id, "section_order", played=[(second, 4)])
    assert made.words.endswith("1 not played at the end")
    assert ids(store, song_id) == [second, verse]


def test_the_order_there_is_and_sections_there_are_not(store, song_id):
    verse, second = ids(store, song_id)
    with pytest.raises(PocketError, match="in this order already"):
        do(store, song_id, "section_order", played=[(verse, 4), (second, 4)])
    with pytest.raises(PocketError):
        do(store, song_id, "section_order", played=[(99_999, 4)])


def test_what_went_round_several_times_has_repeats(store, song_id):
    verse, second = ids(store, song_id)
    do(store, song_id, "section_order", played=[(verse, 4), (verse, 4), (second, 2), (second, 2), (second, 1)])
    assert [(bars, repeats) for _, bars, repeats in plan(store, song_id)] == [(4, 2), (2, 2), (1, 1)]
