"""What the start says of a disk, a folder and a clock that are not as they should be."""

from __future__ import annotations

import errno
import logging
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import text

from easy_pocket.home import folder
from easy_pocket.home.folder import LaunchError, check_room, claim, release, unwritable
from easy_pocket.home.upgrade import bring_up_to_date
from easy_pocket.store.database import Database
from easy_pocket.store.songs.create import create_song


@pytest.mark.parametrize(
    ("number", "words"),
    [
        (errno.ENOSPC, "the disk is full"),
        (errno.EDQUOT, "your share of the disk is used up"),
        (errno.EROFS, "can only be read"),
        (errno.EACCES, "not yours to write"),
        (errno.ENOTDIR, "a file is in its way"),
    ],
)
def test_each_reason_for_a_folder_that_cannot_be_written_has_its_words(tmp_path: Path, number: int, words: str) -> None:
    said = str(unwritable(tmp_path, OSError(number, "the system's words")))
    assert words in said
    assert "EASY_POCKET_HOME" in said


def test_a_file_in_the_place_of_the_folder_is_said(tmp_path: Path) -> None:
    (tmp_path / "var").write_text("not a folder")
    with pytest.raises(LaunchError, match=r"inner cannot be written, because a file is in its way"):
        claim(tmp_path / "var" / "inner", "nowhere")


@pytest.mark.parametrize("first", [True, False])
def test_a_disk_without_room_is_said_before_anything_is_begun(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, first: bool
) -> None:
    check_room(tmp_path, first=first)
    monkeypatch.setattr(folder, "LEAST_FREE_FIRST_MB" if first else "LEAST_FREE_MB", 10**12)
    with pytest.raises(LaunchError, match=r"The disk is full: \d+ MB are free"):
        check_room(tmp_path, first=first)


def test_one_that_was_not_stopped_properly_is_noticed(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    lock = claim(tmp_path, "http://127.0.0.1:1")
    lock.close()  # as a kill does
    release(claim(tmp_path, "http://127.0.0.1:2"))
    assert "was not stopped properly" in caplog.text
    caplog.clear()
    release(claim(tmp_path, "http://127.0.0.1:3"))
    assert caplog.text == ""


def test_a_clock_that_was_set_back_is_a_warning_and_songs_are_kept(
    store: Database, tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    with store.transaction() as session:
        song_id = create_song(session, "Ahead", tempo_bpm=100).id
    ahead = datetime.now(UTC) + timedelta(days=400)
    with store.engine.begin() as connection:
        connection.execute(text("UPDATE song SET changed_at = :at WHERE id = :id"), {"at": ahead, "id": song_id})
    caplog.set_level(logging.WARNING)
    bring_up_to_date(store, tmp_path, own=False)
    assert "is the clock right?" in caplog.text
    assert store.reader.scalar(text("SELECT COUNT(*) FROM song")) == 1
