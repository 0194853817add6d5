"""Takes of the whole song: a time through is kept by its sections, and written into all of them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import PocketError
from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.pattern.timebase import COMMON_TIME, ms_per_tick
from easy_pocket.core.takes.played import TakeBars, played_from_rows
from easy_pocket.core.takes.song_pass import SungSpan, by_sections
from easy_pocket.core.takes.take_in import TakeIn, taken_in
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.takes.takes import load_take, takes_of
from tests.drums import ROCK, beat
from tests.editing import do, step

SLOW, FAST = ms_per_tick(100), ms_per_tick(150)
BAR = 3840


@pytest.fixture
def song_id(store):
    """Two bars at 100 twice, one bar at 150."""
    with store.transaction() as session:
        song_id = create_song(session, "Slack Water", tempo_bpm=100, hits=beat(ROCK).hits).id
    first = read_song(store.reader, song_id).sections[0].id
    do(store, song_id, "section_set", section_id=first, field="bars", value=2)
    do(store, song_id, "section_set", section_id=first, field="repeats", value=2)
    added = do(store, song_id, "section_add").song.sections[-1].id
    do(store, song_id, "section_set", section_id=added, field="bars", value=1)
    do(store, song_id, "section_set", section_id=added, field="tempo_bpm", value=150)
    return song_id


def length_ms(store, song_id):
    last = read_song(store.reader, song_id).arrangement.spans[-1]
    return last.start_ms + last.length_ms


def takes(store, song_id):
    return [load_take(store.reader, row) for row in takes_of(store.reader, song_id)]


def play(store, song_id, hits, **values):
    return do(store, song_id, "take_song_pass", length_ms=length_ms(store, song_id), hits=hits, **values)


def through(*, off=0.0):
    """A hit on each first beat: of both turns of two bars, and of the fast bar."""
    return [("kick", off, 100), ("kick", 2 * BAR * SLOW + off, 90), ("snare", 4 * BAR * SLOW + off, 80)]


def test_each_time_a_section_plays_is_a_pass_of_it_at_its_tempo(store, song_id):
    made = play(store, song_id, through(off=7.0))
    assert made.words == "play in the song: 2 sections"
    fast, slow = takes(store, song_id)
    names = [one.name for one in read_song(store.reader, song_id).sections]
    assert [one.name for one in (slow, fast)] == [f"song 1: {name}" for name in names]
    assert (slow.bars.tempo_bpm, fast.bars.tempo_bpm) == (100, 150)
    assert [one.played.rows for one in slow.passes] == [[("kick", 7.0, 100)], [("kick", 7.0, 90)]]
    assert [one.name for one in slow.passes] == ["pass 1", "pass 2"]
    assert [one.played.rows for one in fast.passes] == [[("snare", 7.0, 80)]]
    step(store, song_id, "undo")
    assert takes(store, song_id) == []
    step(store, song_id, "redo")
    assert len(takes(store, song_id)) == 2


def test_the_next_time_through_goes_on_in_the_same_takes(store, song_id):
    play(store, song_id, through())
    play(store, song_id, through(off=3.0))
    fast, slow = takes(store, song_id)
    assert [one.name for one in slow.passes] == ["pass 1", "pass 2", "pass 3", "pass 4"]
    assert len(fast.passes) == 2


def test_on_top_each_turn_meets_its_own_turn(store, song_id):
    play(store, song_id, through(), mode="top")
    play(store, song_id, [("hat_closed", BAR * SLOW, 60), ("ride", 3 * BAR * SLOW, 50)], mode="top")
    slow = takes(store, song_id)[1]
    assert [[row[0] for row in one.played.rows] for one in slow.passes] == [["kick", "hat_closed"], ["kick", "ride"]]


def test_a_hit_near_a_border_is_in_one_section_only(store, song_id):
    border = 4 * BAR * SLOW
    play(store, song_id, [("kick", 0.0, 100), ("snare", border - 20, 90), ("kick", border + 5, 80)])
    fast, slow = takes(store, song_id)
    assert fast.passes[0].played.rows == [("snare", -20.0, 90), ("kick", 5.0, 80)]
    assert [row for one in slow.passes for row in one.played.rows] == [("kick", 0.0, 100)]


def test_what_was_struck_early_for_the_next_time_comes_round(store, song_id):
    end = length_ms(store, song_id)
    play(store, song_id, [("snare", BAR * SLOW, 90), ("kick", end - 15, 100)], last=True)
    (slow,) = takes(store, song_id)
    assert slow.passes[0].played.rows == [("kick", pytest.approx(-15.0), 100), ("snare", pytest.approx(BAR * SLOW), 90)]


def test_only_some_bars_of_the_song_are_kept(store, song_id):
    play(store, song_id, through(), from_bar=3, to_bar=4)
    (slow,) = takes(store, song_id)
    assert [row[2] for one in slow.passes for row in one.played.rows] == [90]


def test_every_section_gets_a_pattern_of_its_own_in_one_step(store, song_id):
    made = play(store, song_id, through(off=9.0)).changed.made
    before = read_song(store.reader, song_id)
    written = do(store, song_id, "take_song_write", take_id=made)
    assert written.words == "write song 1 into 2 sections"
    part = written.song.part.id
    cells = [one.cells[part]["pattern"] for one in written.song.sections]
    assert len(set(cells)) == 2
    step(store, song_id, "undo")
    assert [one.cells for one in read_song(store.reader, song_id).sections] == [one.cells for one in before.sections]


def test_what_cannot_be_is_refused_in_words(store, song_id):
    with pytest.raises(PocketError, match="undo what was changed in it"):
        do(store, song_id, "take_song_pass", length_ms=1000.0, hits=through())
    with pytest.raises(PocketError, match="Nothing was played in these bars"):
        play(store, song_id, through(), from_bar=40)
    plain = do(store, song_id, "take_pass", length_ticks=7680, tempo_bpm=100, hits=[("kick", 0.0, 100)])
    with pytest.raises(PocketError, match="not of the whole song"):
        do(store, song_id, "take_song_write", take_id=plain.changed.made)


SPANS = [
    SungSpan(TakeBars(2 * BAR, COMMON_TIME, 100.0), 0.0),
    SungSpan(TakeBars(BAR, COMMON_TIME, 150.0), 2 * BAR * SLOW),
    SungSpan(TakeBars(BAR, COMMON_TIME, 72.0), 2 * BAR * SLOW + BAR * FAST),
]
WHOLE_MS = SPANS[-1].start_ms + SPANS[-1].bars.length_ms


@given(st.lists(st.floats(-70, WHOLE_MS - 1), min_size=1, max_size=40), st.booleans())
def test_no_hit_is_lost_or_doubled_at_a_border(times, last):
    played = played_from_rows([("kick", time_ms, 100) for time_ms in times])
    pieces = by_sections(played, SPANS, WHOLE_MS, last=last)
    kept = [
        taken_in(piece, span.bars, FeelScopes(), TakeIn(given=True)) for span, piece in zip(SPANS, pieces, strict=True)
    ]
    end_ms = WHOLE_MS - 120 * SPANS[0].bars.tick_ms
    inside = [one for one in times if last or one < end_ms]
    starts = [span.start_ms for span in SPANS]
    again = sorted(time for one, start in zip(kept, starts, strict=True) for time in (one.time_ms + start).tolist())
    assert again == pytest.approx(sorted(one - WHOLE_MS if one >= end_ms else one for one in inside))
