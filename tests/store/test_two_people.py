"""Two people in one song: each takes back what is theirs, and leaves what the other did."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.store.history.others_steps import merged
from easy_pocket.store.history.undo_log import NothingToUndoError, StaleRevisionError, change_list, undo_words
from easy_pocket.store.people.accounts import are_there_accounts
from easy_pocket.store.schema.people_tables import PersonRow
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.viewer import Viewer
from tests.editing import do, step
from tests.people import make_people


@pytest.fixture
def two(store):
    """(what Ada works through, what Ben does, the song that is Ada's)."""
    ada, ben = make_people(store, "Ada", "Ben")
    hers = store.seen_by(Viewer(ada, "Ada", "owner"))
    with hers.transaction() as session:
        song = create_song(session, "Lamplighter", tempo_bpm=104).id
    opened = {"song": song, "song_owner": ada}
    return hers.seen_by(replace(hers.viewer, **opened)), store.seen_by(Viewer(ben, "Ben", **opened)), song


def hits(database, song):
    return [(hit.voice, hit.tick) for hit in read_song(database.reader, song).pattern.hits]


def test_undo_takes_back_ones_own_step_and_leaves_the_other(two):
    ada, ben, song = two
    do(ada, song, "write", voice="kick", tick=0)
    do(ben, song, "write", voice="snare", tick=960)
    do(ben, song, "tempo", tempo_bpm=99.0)
    assert undo_words(ada.reader, song)[0].startswith("write kick")
    assert undo_words(ben.reader, song)[0] == "tempo 99"
    step(ada, song, "undo")
    assert hits(ada, song) == [("snare", 960)]
    assert read_song(ada.reader, song).base_tempo_bpm == 99
    with pytest.raises(NothingToUndoError):
        step(ada, song, "undo")
    step(ben, song, "undo")
    assert read_song(ben.reader, song).base_tempo_bpm == 104
    step(ada, song, "redo")
    assert hits(ada, song) == [("kick", 0), ("snare", 960)]
    step(ben, song, "redo")
    assert read_song(ben.reader, song).base_tempo_bpm == 99
    listed = change_list(ben.reader, song)
    assert [(one["who"], one["undone"]) for one in listed] == [("", False), ("", False), ("Ada", False)]


def test_what_somebody_does_leaves_what_another_may_make_again(two):
    ada, ben, song = two
    do(ada, song, "write", voice="kick", tick=0)
    step(ada, song, "undo")
    do(ben, song, "write", voice="snare", tick=960)
    step(ada, song, "redo")
    assert hits(ada, song) == [("kick", 0), ("snare", 960)]


def test_a_step_somebody_else_went_on_from_stays_and_is_named(two):
    ada, ben, song = two
    do(ada, song, "write", voice="kick", tick=0, velocity=90)
    do(ben, song, "remove", voice="kick", tick=0)
    with pytest.raises(EditRefusedError, match=r"Ben has changed the same since \(remove kick"):
        step(ada, song, "undo")
    assert hits(ada, song) == []
    step(ben, song, "undo")
    step(ada, song, "undo")
    assert hits(ada, song) == []


def test_settings_of_one_feel_are_taken_back_one_by_one(two):
    ada, ben, song = two
    do(ada, song, "feel", scope="stack", field="swing_percent", value=58.0)
    do(ben, song, "feel", scope="stack", field="push_ms", value=6.0)
    step(ada, song, "undo")
    assert read_song(ada.reader, song).feel_doc == {"push_ms": 6.0}
    step(ada, song, "redo")
    assert read_song(ada.reader, song).feel_doc == {"push_ms": 6.0, "swing_percent": 58.0}
    step(ben, song, "undo")
    assert read_song(ada.reader, song).feel_doc == {"swing_percent": 58.0}


EDITS = st.lists(
    st.tuples(st.sampled_from(["Ada", "Ben"]), st.integers(0, 7), st.sampled_from(["hit", "mix", "feel"])), max_size=14
)


@settings(max_examples=12)
@given(EDITS)
def test_all_of_one_taken_back_leaves_exactly_all_of_the_other(migrated, made):
    if not are_there_accounts(migrated.reader):
        make_people(migrated, "Ada", "Ben")
    with migrated.transaction() as session:
        song, alone = (create_song(session, name, tempo_bpm=104).id for name in ("Both", "Ben alone"))

    def seen(person, name, number):
        return migrated.seen_by(Viewer(person, name, song=number, song_owner=1))

    ben = migrated.reader.scalar(select(PersonRow.id).where(PersonRow.name == "Ben"))
    voices = {"Ada": ("kick", "snare"), "Ben": ("rim", "clap")}  # so that they never mean the same
    fields = {"Ada": ("swing_percent", 50), "Ben": ("push_ms", 0)}
    count = 0
    for who, number, kind in made:
        for target in (song, alone) if who == "Ben" else (song,):
            database = seen(1 if who == "Ada" else ben, who, target)
            voice = voices[who][number % 2]
            if kind == "hit":
                there = (voice, number * 240) in hits(database, target)
                do(database, target, "remove" if there else "write", voice=voice, tick=number * 240)
            elif kind == "mix":
                do(database, target, "mix", voice=voice, field="level_db", value=float(-number))
            else:
                name, low = fields[who]
                do(database, target, "feel", scope="stack", field=name, value=float(low + number))
        count += who == "Ada"
    for _ in range(count):
        try:
            step(seen(1, "Ada", song), song, "undo")
        except NothingToUndoError:
            break
    both, only = (read_song(migrated.reader, one) for one in (song, alone))
    assert both.pattern.hits == only.pattern.hits
    assert both.feel_doc == only.feel_doc
    assert {voice: mix.level_db for voice, mix in both.mix.items() if mix.level_db} == {
        voice: mix.level_db for voice, mix in only.mix.items() if mix.level_db
    }


VALUES = st.dictionaries(st.sampled_from("abcd"), st.integers(0, 3) | st.lists(st.sampled_from("xyz"), unique=True))


@given(VALUES, VALUES)
def test_a_value_nobody_else_changed_becomes_what_is_wanted(known, wanted):
    assert merged(known, known, wanted) == wanted


@given(VALUES, VALUES, st.integers(0, 9))
def test_what_others_put_beside_it_stays(known, wanted, other):
    assert merged({**known, "theirs": other}, known, wanted) == {**wanted, "theirs": other}


def test_two_who_change_the_same_are_told_of_each_other_by_name(two):
    ada, ben, song = two
    revision = read_song(ada.reader, song).revision
    do(ben, song, "tempo", tempo_bpm=99.0, edit_id="ben-1", revision=revision)
    with pytest.raises(StaleRevisionError) as refused:
        do(ada, song, "tempo", tempo_bpm=98.0, edit_id="ada-1", revision=revision)
    assert refused.value.theirs == ["Ben: tempo 99"]
    assert refused.value.mine == "tempo 98"
