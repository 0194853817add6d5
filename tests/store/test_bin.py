"""The bin of sounds and loops: what is taken away is listed, brought back as it was, and gone for good in time."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select, update

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.formats.pocket_file import read_song_file
from easy_pocket.store.bin import binned_things, empty_things
from easy_pocket.store.kits.sound_library import remove_sound
from easy_pocket.store.loops.loops import loops_of
from easy_pocket.store.schema.tables import SoundRow
from easy_pocket.store.songs.pocket_files import song_from_contents
from easy_pocket.store.songs.shelf import delete_song
from easy_pocket.web.screens.shelf.view import thing_lines
from tests.editing import do, step

SONG_FILE = Path(__file__).parent / "song_files/version-1.pocket"


@pytest.fixture
def song(store: Any) -> int:
    with store.transaction() as session:
        return int(song_from_contents(session, read_song_file(SONG_FILE.read_bytes(), "x"), "x", "Tide").id)


def loops(store: Any, song: int) -> list[str]:
    with store.transaction() as session:
        return [one.name for one in loops_of(session, song)]


def test_a_loop_waits_in_the_bin_and_comes_back_by_an_edit(store: Any, song: int) -> None:
    (name,) = loops(store, song)
    with store.transaction() as session:
        loop = loops_of(session, song)[0].id
    with pytest.raises(EditRefusedError, match="not in the bin"):
        do(store, song, "loop_back", loop_id=loop)
    do(store, song, "loop_take", loop_id=loop)
    assert loops(store, song) == []
    (binned,) = binned_things(store.reader)
    assert (binned.kind, binned.name, binned.song_name) == ("loop", name, "Tide")
    do(store, song, "loop_back", loop_id=loop)
    assert loops(store, song) == [name]
    assert binned_things(store.reader) == []
    assert step(store, song, "undo") == f"bring back {name}"
    assert loops(store, song) == []
    with store.transaction() as session:
        delete_song(session, song)
    assert binned_things(store.reader) == []  # it comes back with its song


def test_a_sound_waits_for_thirty_days(store: Any) -> None:
    with store.transaction() as session:
        sound = session.scalars(select(SoundRow).where(SoundRow.removed.is_(False))).first()
        number, name = sound.id, sound.name
        remove_sound(session, number)
    try:
        (line,) = thing_lines(binned_things(store.reader))
        assert (line.name, line.words) == (name, "sound, gone in 30 days")
        assert line.address == f"/bin/sounds/{number}/back"
        with store.transaction() as session:
            assert empty_things(session) == 0
            remove_sound(session, number, removed=False)
        assert binned_things(store.reader) == []
        long_ago = datetime.now(UTC).replace(tzinfo=None) - timedelta(days=31)
        with store.transaction() as session:
            session.execute(update(SoundRow).where(SoundRow.id == number).values(removed_at=long_ago))
            assert empty_things(session) == 0  # it is not in the bin
    finally:
        with store.transaction() as session:
            remove_sound(session, number, removed=False)


def test_what_was_in_the_bin_long_enough_is_gone(store: Any) -> None:
    with store.transaction() as session:
        like = session.scalars(select(SoundRow)).first()
        values = {c.key: getattr(like, c.key) for c in SoundRow.__table__.columns if c.key != "id"}
        values.update(key="for-the-bin", removed=True)
        values["removed_at"] = datetime.now(UTC).replace(tzinfo=None) - timedelta(days=31)
        session.add(SoundRow(**values))
    with store.transaction() as session:
        assert empty_things(session) == 1
        assert session.scalar(select(SoundRow.id).where(SoundRow.key == "for-the-bin")) is None
        assert session.get(SoundRow, like.id) is not None


def test_both_are_brought_back_from_the_shelf(store: Any, song: int, client: Any) -> None:
    with store.transaction() as session:
        loop = loops_of(session, song)[0]
        number, name = loop.id, loop.name
    do(store, song, "loop_take", loop_id=number)
    assert "loop of Tide" in client.get("/").text
    answer = client.post(f"/bin/songs/{song}/loops/{number}/back")
    assert answer.status_code == 200
    assert "loop of Tide" not in answer.text
    assert loops(store, song) == [name]
    assert client.post(f"/bin/songs/{song}/loops/{number}/back").status_code == 422
