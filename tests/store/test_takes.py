"""Takes in the store: passes kept, sewn, written in, taken back; copied with their song."""

from __future__ import annotations

import pytest

from easy_pocket.core.errors import PocketError
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.selection import ANYWHERE
from easy_pocket.store.takes.takes import laid, load_take, takes_of
from tests.editing import do, step

TICK_MS = ms_per_tick(104)
BACKBONE = (Hit("kick", 0, 110), Hit("snare", 960, 100), Hit("ride", 480, 70), Hit("ride", 4320, 60))


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        song = create_song(session, "Slack Water", tempo_bpm=104, hits=BACKBONE)
        return song.id


def song(store, song_id, selection=ANYWHERE):
    with store.transaction() as session:
        return load_song(session, song_id, selection).values


def takes(store, song_id):
    return [load_take(store.reader, row) for row in takes_of(store.reader, song_id)]


def rows(shift_ms=0.0, ticks=(0, 960, 1920, 2880, 3840, 4800)):
    found = [("kick" if number % 2 == 0 else "snare", tick) for number, tick in enumerate(ticks)]
    return [(voice, tick * TICK_MS + shift_ms, 90 + number) for number, (voice, tick) in enumerate(found)]


def play(store, song_id, hits, **values):
    sent = {"length_ticks": 7680, "tempo_bpm": 104, **values}
    return do(store, song_id, "take_pass", hits=hits, **sent)


@pytest.fixture
def three(store, song_id):
    """A take of three passes: early, on the grid, late."""
    take_id = 0
    for shift_ms in (-9.0, 0.0, 14.0):
        take_id = play(store, song_id, rows(shift_ms), take_id=take_id).changed.made
    return take_id


def test_every_pass_is_kept_and_undo_takes_the_last_one_away(store, song_id, three):
    (take,) = takes(store, song_id)
    assert take.id == three
    assert [one.name for one in take.passes] == ["pass 1", "pass 2", "pass 3"]
    assert take.passes[0].played.rows[1] == ("snare", pytest.approx(960 * TICK_MS - 9, abs=0.001), 91)
    assert step(store, song_id, "undo") == "play in pass 3"
    assert len(takes(store, song_id)[0].passes) == 2
    for _ in range(2):
        step(store, song_id, "undo")
    assert takes(store, song_id) == []
    for _ in range(3):
        step(store, song_id, "redo")
    assert len(takes(store, song_id)[0].passes) == 3


def test_what_is_written_in_sounds_as_it_was_played_and_leaves_the_rest(store, song_id, three):
    _, second, third = (one.id for one in takes(store, song_id)[0].passes)
    do(store, song_id, "take_sew", take_id=three, from_bar=1, to_bar=1, pass_id=third)
    result = do(store, song_id, "take_write", take_id=three)
    assert result.words == "write take 1 into Backbone A"
    played = {(hit.voice, hit.tick): round(hit.offset_ms, 2) for hit in result.song.pattern.hits}
    # Bar 1 from pass 1, bar 2 from pass 3; the ride was there, kick and snare make room.
    assert played == {
        ("kick", 0): -9.0, ("snare", 960): -9.0, ("kick", 1920): -9.0,
        ("snare", 2880): -9.0, ("kick", 3840): 14.0, ("snare", 4800): 14.0,
        ("ride", 480): 0.0, ("ride", 4320): 0.0,
    }  # fmt: skip
    step(store, song_id, "undo")
    assert song(store, song_id).pattern.hits == tuple(sorted(BACKBONE, key=lambda hit: (hit.tick, hit.voice)))
    assert second  # pass 2 is in no bar, and still there


def test_the_feel_of_the_part_is_taken_off(store, song_id):
    do(store, song_id, "feel", scope="part", field="push_ms", value=10.0)
    take_id = play(store, song_id, rows(14.0)).changed.made
    pattern = do(store, song_id, "take_write", take_id=take_id).song.pattern
    assert {round(hit.offset_ms, 2) for hit in pattern.hits if hit.voice == "kick"} == {4.0}
    do(store, song_id, "take_set", take_id=take_id, pulls={"kick": 50.0})
    pattern = do(store, song_id, "take_write", take_id=take_id).song.pattern
    assert {round(hit.offset_ms, 2) for hit in pattern.hits if hit.voice == "kick"} == {2.0}
    assert {round(hit.offset_ms, 2) for hit in pattern.hits if hit.voice == "snare"} == {4.0}


def test_swing_that_is_played_becomes_the_swing_of_the_part(store, song_id):
    swung = [("hat_closed", (tick + (38.4 if tick % 480 else 0)) * TICK_MS, 80) for tick in range(0, 7680, 240)]
    take_id = play(store, song_id, swung).changed.made
    result = do(store, song_id, "take_write", take_id=take_id)
    assert result.song.part.feel_doc["swing_percent"] == pytest.approx(58, abs=0.1)
    offsets = [hit.offset_ms for hit in result.song.pattern.hits if hit.voice == "hat_closed"]
    assert max(map(abs, offsets)) < 0.5
    assert "hat_closed" in result.song.part.voices


def test_on_top_in_place_and_bars_that_were_to_be_played(store, song_id):
    take_id = play(store, song_id, rows()).changed.made
    play(store, song_id, [("ride", 480 * TICK_MS, 60)], take_id=take_id, mode="top")
    (one,) = takes(store, song_id)[0].passes
    assert len(one.played) == 7
    play(store, song_id, [("ride", 480 * TICK_MS, 60)], take_id=take_id, mode="place")
    (one,) = takes(store, song_id)[0].passes
    assert one.played.rows == [("ride", pytest.approx(480 * TICK_MS, abs=0.001), 60)]
    play(store, song_id, rows(-8), take_id=take_id, from_bar=2, to_bar=2)
    assert [row[0] for row in takes(store, song_id)[0].passes[1].played.rows] == ["kick", "snare"]
    play(store, song_id, rows(-8), take_id=take_id, pull_percent=50)
    assert takes(store, song_id)[0].passes[2].played.time_ms[1] == pytest.approx(960 * TICK_MS - 4, abs=0.001)


def test_an_early_hit_before_bar_one_comes_round(store, song_id):
    before = [("kick", -20.0, 90), *rows(0.0)[1:], ("hat_closed", 7680 * TICK_MS - 20, 70)]
    take_id = play(store, song_id, before, last=True).changed.made
    pattern = do(store, song_id, "take_write", take_id=take_id).song.pattern
    first = {hit.voice: hit.offset_ms for hit in pattern.hits if hit.tick == 0}
    assert first == {"kick": pytest.approx(-20), "hat_closed": pytest.approx(-20)}


def test_a_new_pattern_and_four_passes_as_four_patterns(store, song_id, three):
    made = do(store, song_id, "take_write", take_id=three, to="new")
    assert made.song.part.patterns[-1].id == made.changed.added
    assert [one.name for one in made.song.part.patterns] == ["A", "B"]
    all_of_them = do(store, song_id, "take_write", take_id=three, to="passes").song.part.patterns
    assert [one.name for one in all_of_them] == ["A", "B", "C", "D", "E"]
    shifts = [{round(hit.offset_ms, 2) for hit in one.pattern.hits} for one in all_of_them[2:]]
    assert shifts == [{-9.0}, {0.0}, {14.0}]


def test_the_steadiest_pass_is_sewn_bar_by_bar(store, song_id, three):
    do(store, song_id, "take_steadiest", take_id=three)
    take = takes(store, song_id)[0]
    assert {one.key for one in take.sews} == {take.passes[1].id}


def test_passes_are_named_and_thrown_away_with_undo(store, song_id, three):
    first = takes(store, song_id)[0].passes[0].id
    do(store, song_id, "take_pass_name", take_id=three, pass_id=first, name="the good one")
    do(store, song_id, "take_pass_away", take_id=three, pass_id=first)
    take = takes(store, song_id)[0]
    assert [one.name for one in take.passes] == ["pass 2", "pass 3"]
    assert take.sews == ()
    step(store, song_id, "undo")
    take = takes(store, song_id)[0]
    assert take.passes[0].name == "the good one"
    assert len(take.sews) == 2
    do(store, song_id, "take_name", take_id=three, name="quay")
    do(store, song_id, "take_away", take_id=three)
    assert takes(store, song_id) == []
    step(store, song_id, "undo")
    assert takes(store, song_id)[0].name == "quay"


def test_a_take_of_other_bars_is_a_take_of_its_own(store, song_id, three):
    play(store, song_id, rows(ticks=(0, 960)), take_id=three, start_tick=3840, length_ticks=3840)
    other, first = takes(store, song_id)
    assert (other.bars.start_tick, len(other.passes), len(first.passes)) == (3840, 1, 3)
    pattern = do(store, song_id, "take_write", take_id=other.id).song.pattern
    assert {(hit.voice, hit.tick) for hit in pattern.hits if hit.voice != "ride"} == {
        ("kick", 0), ("snare", 960), ("kick", 3840), ("snare", 4800)
    }  # fmt: skip


def test_takes_go_along_when_a_song_is_copied(store, song_id, three):
    with store.transaction() as session:
        copy_id = duplicate_song(session, song_id).id
    (mine,), (copied,) = takes(store, song_id), takes(store, copy_id)
    assert [one.played.rows for one in copied.passes] == [one.played.rows for one in mine.passes]
    assert {one.key for one in copied.sews} == {copied.passes[0].id}
    feel = song(store, copy_id).feel
    assert len(laid(copied, feel).sewn) == 6


@pytest.mark.parametrize(
    ("kind", "values", "words"),
    [
        ("take_pass", {"length_ticks": 7680, "tempo_bpm": 104, "hits": []}, "Nothing was played"),
        ("take_pass", {"length_ticks": 7680, "tempo_bpm": 9, "hits": [("kick", 0, 90)]}, "tempo"),
        ("take_pass", {"length_ticks": 7680, "tempo_bpm": 104, "hits": [("gong", 0, 90)]}, "has no gong"),
        ("take_sew", {"take_id": 99, "from_bar": 0, "to_bar": 0, "pass_id": 1}, "This take is gone"),
    ],
)
def test_what_cannot_be_is_refused_in_words(store, song_id, kind, values, words):
    with pytest.raises(PocketError, match=words):
        do(store, song_id, kind, **values)


def test_another_take_cannot_lend_its_passes(store, song_id, three):
    other = play(store, song_id, rows(), start_tick=3840, length_ticks=3840).changed.made
    mine = takes(store, song_id)[1].passes[0].id
    with pytest.raises(PocketError, match="This pass is gone"):
        do(store, song_id, "take_sew", take_id=other, from_bar=0, to_bar=0, pass_id=mine)
    with pytest.raises(PocketError, match="must lie between"):
        do(store, song_id, "take_sew", take_id=three, from_bar=0, to_bar=7, pass_id=mine)
    with store.transaction() as session:
        elsewhere = create_song(session, "Three Piers").id
    with pytest.raises(PocketError, match="This take is gone"):
        do(store, elsewhere, "take_sew", take_id=three, from_bar=0, to_bar=0, pass_id=mine)


def test_the_sound_a_hit_was_struck_with_is_kept_and_written(store, song_id):
    rows = [("snare", 0.0, 100, 2), ("snare", 960 * TICK_MS, 90), ("kick", 0.0, 80)]
    made = do(store, song_id, "take_pass", length_ticks=7680, tempo_bpm=104, hits=rows).changed.made
    written = do(store, song_id, "take_write", take_id=made)
    sounds = {hit.tick: hit.alternate for hit in written.song.pattern.hits if hit.voice == "snare" and hit.tick < 1200}
    assert sounds == {0: 2, 960: 0}
    on_top = [("snare", 480 * TICK_MS, 70, 1)]
    do(store, song_id, "take_pass", length_ticks=7680, tempo_bpm=104, hits=on_top, mode="top")
    (row,) = takes_of(store.reader, song_id)
    (one,) = load_take(store.reader, row).passes
    assert [sound for voice, _, _, sound in one.played.full_rows if voice == "snare"] == [2, 1, 0]


def test_after_a_take_that_is_full_the_next_pass_begins_another(store, song_id, monkeypatch):
    monkeypatch.setattr("easy_pocket.store.songs.edits.pass_keeping.MOST_PASSES", 2)
    for number in range(3):
        hits = [("kick", 0.0, 90 + number)]
        do(store, song_id, "take_pass", length_ticks=7680, tempo_bpm=104, hits=hits)
    newest, first = (load_take(store.reader, row) for row in takes_of(store.reader, song_id))
    assert (first.name, len(first.passes)) == ("take 1", 2)
    assert (newest.name, [one.played.rows for one in newest.passes]) == ("take 2", [[("kick", 0.0, 92)]])
