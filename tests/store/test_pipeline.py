"""The one way in for every change: once by its id, beside others that touch something else, and nothing in between."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any, Literal

import pytest
from sqlalchemy import event, text

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.store.database import Database
from easy_pocket.store.history.undo_log import StaleRevisionError
from easy_pocket.store.songs import loaded
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.edits.pipeline import EditResult, SentStep, take_steps
from easy_pocket.store.songs.edits.registry import KINDS, Edit, EditContext, Step, edit
from easy_pocket.store.songs.load import read_song
from tests.conftest import fresh_kits
from tests.drums import ROCK, beat
from tests.editing import do, step


class Silent(Edit):
    kind: Literal["silent"]


class Again(Edit):
    kind: Literal["write"]


@pytest.fixture
def song_id(store: Database) -> int:
    with store.transaction() as session:
        return create_song(session, "Lamplighter", tempo_bpm=104, hits=beat(ROCK).hits).id


def hits(store: Database, song_id: int) -> set[tuple[str, int]]:
    return {(hit.voice, hit.tick) for hit in read_song(store.reader, song_id).pattern.hits}


def write(store: Database, song_id: int, tick: int, **more: Any) -> EditResult:
    return do(store, song_id, "write", voice="rim", tick=tick, **more)


def test_a_kind_without_a_description_fails_where_it_is_written() -> None:
    with pytest.raises(TypeError):

        @edit()  # type: ignore[call-arg]
        def silent(context: EditContext, sent: Silent) -> Step:
            return Step([])

    assert "silent" not in KINDS


def test_a_second_edit_of_the_same_kind_fails_where_it_is_written() -> None:
    before = KINDS["write"]
    with pytest.raises((ValueError, TypeError, AssertionError), match="write"):

        @edit(description="again")
        def again(context: EditContext, sent: Again) -> Step:
            return Step([])

    assert KINDS["write"] is before


def test_sent_again_it_is_answered_as_the_first_time_and_made_once(store: Database, song_id: int) -> None:
    first = write(store, song_id, 100, revision=1, edit_id="tab-1")
    for _ in range(2):
        again = write(store, song_id, 100, revision=1, edit_id="tab-1")
        assert again.repeated
        assert (again.words, again.undo) == (first.words, first.undo)
        assert again.song.revision == first.song.revision
    step(store, song_id, "undo")
    assert ("rim", 100) not in hits(store, song_id)
    assert write(store, song_id, 100, revision=1, edit_id="tab-1").repeated
    assert ("rim", 100) not in hits(store, song_id)


def test_an_undo_sent_again_takes_back_one_step_only(store: Database, song_id: int) -> None:
    write(store, song_id, 100)
    two = write(store, song_id, 200)
    sent = SentStep("undo", revision=two.song.revision, edit_id="tab-9")
    for _ in range(3):
        take_steps(store, song_id, sent)
    assert ("rim", 100) in hits(store, song_id)
    assert ("rim", 200) not in hits(store, song_id)


def test_what_was_made_is_known_by_another_program(store: Database, song_id: int, database_url: str) -> None:
    """It was killed between commit and answer; the page sends the edit to the one started anew."""
    write(store, song_id, 100, revision=1, edit_id="tab-1")
    other = Database(database_url)
    assert write(other, song_id, 100, revision=1, edit_id="tab-1").repeated
    other.close()


KICK: dict[str, Any] = {"voice": "kick", "tick": 0}
TOUCH_NOTHING_ALIKE = [
    (("write", {"voice": "rim", "tick": 100}), ("write", {"voice": "rim", "tick": 200})),
    (("write", {"voice": "rim", "tick": 100}), ("remove", {"voice": "kick", "tick": 0})),
    (("write", {"voice": "rim", "tick": 100}), ("tempo", {"tempo_bpm": 90})),
    (("tempo", {"tempo_bpm": 90}), ("name", {"name": "Other"})),
    (("mix", {"voice": "kick", "field": "pan", "value": 0.5}), ("mix", {"voice": "rim", "field": "pan", "value": 0.5})),
    (("feel", {"scope": "stack", "field": "swing_percent", "value": 58}), ("write", {"voice": "rim", "tick": 100})),
]  # fmt: skip
TOUCH_THE_SAME = [
    (("velocity", KICK | {"velocity": 30}), ("velocity", KICK | {"velocity": 99})),
    (("tempo", {"tempo_bpm": 90}), ("tempo", {"tempo_bpm": 95})),
    (("offset", KICK | {"offset_ms": 5}), ("remove", KICK)),
    (("name", {"name": "One"}), ("name", {"name": "Other"})),
]  # fmt: skip


@pytest.mark.parametrize("turned", [False, True])
@pytest.mark.parametrize("pair", TOUCH_NOTHING_ALIKE)
def test_edits_of_two_tabs_that_touch_different_things_both_hold(
    store: Database, song_id: int, pair: Any, turned: bool
) -> None:
    (one, values), (other, other_values) = reversed(pair) if turned else pair
    do(store, song_id, one, revision=1, edit_id="a-1", **values)
    second = do(store, song_id, other, revision=1, edit_id="b-1", **other_values)
    assert second.song.revision == 3
    step(store, song_id, "undo")
    assert step(store, song_id, "undo")


@pytest.mark.parametrize("pair", TOUCH_THE_SAME)
def test_edits_of_two_tabs_that_touch_the_same_are_told_with_both_sides(
    store: Database, song_id: int, pair: Any
) -> None:
    (one, values), (other, other_values) = pair
    first = do(store, song_id, one, revision=1, edit_id="a-1", **values)
    with pytest.raises(StaleRevisionError) as raised:
        do(store, song_id, other, revision=1, edit_id="b-1", **other_values)
    assert first.words in raised.value.theirs
    assert read_song(store.reader, song_id).revision == 2
    do(store, song_id, one, revision=1, edit_id="a-2", **values)  # its own tab saw what it did


def test_nothing_is_performed_while_a_transaction_is_open(
    store: Database, song_id: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    open_now = 0
    during: list[int] = []

    def begun(connection: Any) -> None:
        nonlocal open_now
        open_now += 1

    def ended(connection: Any) -> None:
        nonlocal open_now
        open_now -= 1

    for name, listener in (("begin", begun), ("commit", ended), ("rollback", ended)):
        event.listen(store.engine, name, listener)
    performed = loaded.perform

    def watched(*arguments: Any, **named: Any) -> Any:
        during.append(open_now)
        return performed(*arguments, **named)

    monkeypatch.setattr(loaded, "perform", watched)
    try:
        for tick in range(100, 500, 100):
            write(store, song_id, tick).song.performance()
    finally:
        for name, listener in (("begin", begun), ("commit", ended), ("rollback", ended)):
            event.remove(store.engine, name, listener)
    assert len(during) >= 4
    assert set(during) == {0}


def test_five_songs_change_one_kit_at_once_and_none_is_refused(store: Database, deep: bool) -> None:
    ids = []
    for number in range(5):
        with store.transaction() as session:
            ids.append(create_song(session, f"Song {number}", tempo_bpm=100, hits=(Hit("kick", 0, 99),)).id)

    def change(which: int) -> int:
        made = 0
        for turn in range(40 if deep else 8):
            role = ("kick", "snare", "hat_closed", "rim", "clap")[which]
            do(store, ids[which], "kit_voice", role=role, field="level_db", value=-(turn % 8) - 0.5)
            made += 1
        return made

    try:
        with ThreadPoolExecutor(5) as pool:
            assert list(pool.map(change, range(5))) == [40 if deep else 8] * 5
        levels = {read_song(store.reader, one).kit.voice("kick").level_db for one in ids}
        assert levels == {-7.5}
    finally:
        fresh_kits(store)


def test_twenty_tabs_write_their_own_hits_and_none_is_lost_or_made_twice(store: Database, song_id: int) -> None:
    def play(tab: int) -> int:
        made = 0
        for number in range(5):
            write(store, song_id, 7 * tab + 200 * number + 1, revision=1, edit_id=f"tab{tab}-{number}")
            made += 1
        return made

    before = len(hits(store, song_id))
    with ThreadPoolExecutor(20) as pool:
        assert sum(pool.map(play, range(20))) == 100
    assert len(hits(store, song_id)) == before + 100
    assert read_song(store.reader, song_id).revision == 101
    with store.engine.connect() as connection:
        assert connection.execute(text("SELECT COUNT(*), COUNT(DISTINCT edit_id) FROM edit_log")).one() == (100, 100)


def test_an_edit_that_is_refused_leaves_no_trace_of_its_id(store: Database, song_id: int) -> None:
    with pytest.raises(EditRefusedError):
        do(store, song_id, "write", voice="kick", tick=0, edit_id="tab-1")
    do(store, song_id, "write", voice="kick", tick=120, edit_id="tab-1")
    assert ("kick", 120) in hits(store, song_id)


def test_an_edit_of_an_id_that_is_there_is_answered_as_the_first_time(store):
    """Also when its sender has seen the newest song: a page that counts anew, or one edit sent twice at once."""
    with store.transaction() as session:
        song_id = create_song(session, "Twice", tempo_bpm=100).id
    first = do(store, song_id, "write", voice="kick", tick=0, edit_id="tab-1")
    again = do(store, song_id, "write", voice="snare", tick=480, edit_id="tab-1", revision=first.song.revision)
    assert (again.repeated, again.words) == (True, first.words)
    assert [hit.voice for hit in read_song(store.reader, song_id).pattern.hits] == ["kick"]
