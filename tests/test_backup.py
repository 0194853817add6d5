"""A backup of the shelf while it runs, brought back elsewhere; and a check that says what is wrong."""

from __future__ import annotations

import gzip
import io
import subprocess
import tarfile
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import make_url

from easy_pocket.core.formats.pocket_file import read_song_file, write_song_file
from easy_pocket.demo.tidewater import three_piers
from easy_pocket.home.backup import backup
from easy_pocket.home.check import faults
from easy_pocket.home.dumps import dumped, write_dump
from easy_pocket.home.folder import LaunchError
from easy_pocket.home.mariadb import MariaDb
from easy_pocket.home.restore import restore, restore_elsewhere
from easy_pocket.home.shelf import open_shelf
from easy_pocket.home.upgrade import bring_up_to_date
from easy_pocket.store.database import Database
from easy_pocket.store.schema.tables import AudioRow, SongRow
from easy_pocket.store.songs.pocket_files import song_contents, song_from_contents
from easy_pocket.store.songs.shelf import shelf
from tests.editing import do, step

FIRST = Path(__file__).parent / "store/song_files/version-1.pocket"


@pytest.fixture
def song_ids(store: Any) -> dict[str, int]:
    with store.transaction() as session:
        session.query(SongRow).delete()
        three_piers(session)
        song_from_contents(session, read_song_file(FIRST.read_bytes(), "x.pocket"), "x.pocket")
    return {one.name: one.id for one in shelf(store.reader)}


def packed(database: Any, song_id: int) -> bytes:
    with database.transaction() as session:
        return write_song_file(song_contents(session, song_id))


def test_a_shelf_is_brought_back_whole_on_another_machine(
    store: Any, song_ids: dict[str, int], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    do(store, song_ids["Three Piers"], "tempo", tempo_bpm=77.5)
    before = {name: packed(store, key) for name, key in song_ids.items()}
    monkeypatch.setenv("EASY_POCKET_DATABASE_URL", store.url)
    file = tmp_path / "kept" / "songs.tar"
    assert backup(file).startswith(f"All songs, kits, loops, takes and grooves are in {file}")
    assert [path.name for path in file.parent.iterdir()] == ["songs.tar"]
    monkeypatch.delenv("EASY_POCKET_DATABASE_URL")
    home = tmp_path / "bare"
    assert "are back" in restore(home, file)
    monkeypatch.setenv("EASY_POCKET_HOME", str(home))
    with open_shelf() as database:
        assert {one.name: packed(database, one.id) for one in shelf(database.reader)} == before
        assert list(faults(database)) == []
        assert step(database, song_ids["Three Piers"], "undo").startswith("tempo")  # undo comes along
        assert packed(database, song_ids["Three Piers"]) != before["Three Piers"]


def test_a_shelf_moves_to_another_server(store: Any, song_ids: dict[str, int], tmp_path: Path) -> None:
    """As the docs say: a backup is loaded into an empty schema there, and the program is started on it."""
    before = {name: packed(store, key) for name, key in song_ids.items()}
    write_dump(store.url, tmp_path / "songs.tar")
    server = MariaDb(tmp_path / "there")
    try:
        url = server.start()
        assert "are there" in restore_elsewhere(url, tmp_path / "songs.tar")
        with pytest.raises(LaunchError, match="holds 30 tables already"):
            restore_elsewhere(url, tmp_path / "songs.tar")
        moved = Database(url)
        bring_up_to_date(moved, tmp_path, own=False)
        assert {one.name: packed(moved, one.id) for one in shelf(moved.reader)} == before
        assert list(faults(moved)) == []
        moved.close()
    finally:
        server.stop()


def test_what_is_wrong_on_a_shelf_is_said(store: Any, song_ids: dict[str, int]) -> None:
    assert list(faults(store)) == []
    (key,) = read_song_file(FIRST.read_bytes(), "x.pocket").audio
    with store.transaction() as session:
        kept = session.get_one(AudioRow, key)
        kept.data = kept.data[:-64] + bytes(64)
    (damaged,) = faults(store)
    assert damaged == f"Lamplighter ({song_ids['Lamplighter']}): the audio {key[:12]} is damaged"
    with store.transaction() as session:
        session.get_one(SongRow, song_ids["Three Piers"]).tempo_bpm = -3.0
    told = list(faults(store))
    assert any(line.startswith("Three Piers") and "cannot be read" in line for line in told)
    with store.transaction() as session:
        session.query(SongRow).delete()
        session.query(AudioRow).filter(AudioRow.hash == key).delete()


def test_a_backup_into_a_folder_or_onto_a_full_disk_is_refused_in_words(
    store: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("EASY_POCKET_DATABASE_URL", store.url)
    with pytest.raises(LaunchError, match="is a folder: name a file"):
        backup(tmp_path)
    file = tmp_path / "songs.tar"
    file.write_bytes(b"the backup of yesterday")
    (tmp_path / "songs.tar.part").symlink_to("/dev/full")
    with pytest.raises(LaunchError, match="the disk is full"):
        backup(file)
    assert file.read_bytes() == b"the backup of yesterday"
    assert [path.name for path in tmp_path.iterdir()] == ["songs.tar"]


def test_a_dump_of_before_is_brought_back_too_and_a_cut_off_one_is_not(
    store: Any, song_ids: dict[str, int], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = {name: packed(store, key) for name, key in song_ids.items()}
    write_dump(store.url, tmp_path / "new.tar")
    parts = make_url(store.url)
    login = [f"--user={parts.username}", f"--password={parts.password}", f"--port={parts.port}", "--protocol=tcp"]
    plain = subprocess.run(["mariadb-dump", *login, "-h127.0.0.1", "--hex-blob", str(parts.database)],
                           capture_output=True, check=True).stdout  # fmt: skip
    (tmp_path / "old.sql.gz").write_bytes(gzip.compress(plain))
    whole = (tmp_path / "new.tar").read_bytes()
    (tmp_path / "short.tar").write_bytes(whole[: len(whole) * 2 // 3])
    home = tmp_path / "bare"
    with pytest.raises(LaunchError, match="is cut off: choose another one"):
        restore(home, tmp_path / "short.tar")
    assert "are back" in restore(home, tmp_path / "old.sql.gz")
    monkeypatch.setenv("EASY_POCKET_HOME", str(home))
    with open_shelf() as database:
        assert {one.name: packed(database, one.id) for one in shelf(database.reader)} == before


def test_a_backup_says_how_large_it_is_and_how_far_it_goes(store: Any, song_ids: dict[str, int]) -> None:
    told: list[float] = []
    made = dumped(store.url, lambda share, words: told.append(share))
    data = b"".join(made.pieces)
    assert len(data) == made.size
    assert told == sorted(told)
    assert told[-1] == 1.0
    with tarfile.open(fileobj=io.BytesIO(data)) as archive:  # by the standard library's reader
        names = archive.getnames()
        kept = {name: opened.read() for name in names[1:] if (opened := archive.extractfile(name))}
    assert names[0] == "shelf.sql.gz"
    with store.transaction() as session:
        rows = {f"audio/{row.hash}.{row.kind.lower()}": row.data for row in session.query(AudioRow)}
    assert kept == rows
    assert len(rows) > 0
