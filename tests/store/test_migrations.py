"""Migrations make exactly the tables the models describe, and keep what an older database holds."""

import json
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import text

from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.song.flatten import flatten
from easy_pocket.demo.load import load_demo
from easy_pocket.home.check import faults
from easy_pocket.home.mariadb import MariaDb
from easy_pocket.store.database import Database
from easy_pocket.store.schema import MIGRATIONS
from easy_pocket.store.schema.tables import AudioRow, Base
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.pocket_files import song_contents
from easy_pocket.store.songs.shelf import shelf
from tests.editing import do, step
from tests.store.test_pocket_files import mixed, song_with_changed_sounds


def test_the_tables_are_those_of_the_models(migrated):
    with migrated.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_there_is_one_line_of_revisions():
    script = ScriptDirectory(str(MIGRATIONS))
    assert len(script.get_heads()) == 1
    assert [revision.revision for revision in script.walk_revisions()][-1] == "0001"


def test_migrating_again_at_every_start_keeps_the_songs(store):
    load_demo(store)
    with store.engine.begin() as connection:
        before = connection.execute(text("SELECT hits FROM pattern ORDER BY id")).scalars().all()
    store.migrate()
    with store.transaction() as session:
        assert next(song.name for song in shelf(session)) == "Lamplighter"
    with store.engine.connect() as connection:
        assert connection.execute(text("SELECT hits FROM pattern ORDER BY id")).scalars().all() == before


def test_sections_of_an_older_database_begin_where_they_lay_in_their_pattern(store):
    """Before, they were stretches of one pattern, one after another: they sound as they did."""
    with store.transaction() as session:
        song = create_song(session, "Old", tempo_bpm=100, metre=Metre(3, 4), bars=9, hits=(Hit("kick", 7 * 2880, 99),))
        song_id = song.id
    with store.engine.begin() as connection:
        part = str(connection.execute(text("SELECT id FROM part")).scalar_one())
        cells = connection.execute(text("SELECT cells FROM section")).scalar_one()
        connection.execute(text("UPDATE section SET bars = 4, name = 'Verse'"))
        for position, (name, bars) in enumerate((("Lift", 2), ("Chorus", 3)), start=1):
            connection.execute(
                text(
                    "INSERT INTO section (song_id, position, name, bars, repeats, cells) VALUES (:s, :p, :n, :b, 1, :c)"
                ),
                {"s": song_id, "p": position, "n": name, "b": bars, "c": cells},
            )
    try:
        downgrade(store, "0006")
        with store.engine.connect() as connection:
            assert "joins" not in [row[0] for row in connection.execute(text("SHOW COLUMNS FROM section"))]
    finally:
        store.migrate()
    with store.transaction() as session:
        loaded = load_song(session, song_id)
        found = [(one.row.name, one.bars, one.cells[int(part)].get("start", 0)) for one in loaded.resolved]
        assert found == [("Verse", 4, 0), ("Lift", 2, 4 * 2880), ("Chorus", 3, 6 * 2880)]
        line = flatten(loaded.arrangement).line(int(part))
        assert [(hit.voice, hit.tick) for hit in line.hits()] == [("kick", 7 * 2880)]


def test_columns_of_a_song_that_got_new_names_are_the_same_to_undo(store):
    """A song written out flat by the version before, with a loop under it: its steps go back and come again."""
    load_demo(store)
    with store.transaction() as session:
        song_id = next(song.id for song in shelf(session) if song.name == "Lamplighter")
        loops = list(load_song(session, song_id).row.layered_loops)
    assert loops
    do(store, song_id, "song_flat")
    with store.transaction() as session:
        flat = json.loads(load_song(session, song_id).row.sections_before_flatten)
    as_written_before(store)
    try:
        downgrade(store, "0008")
        with store.engine.connect() as connection:
            kept = connection.execute(text("SELECT kept FROM song WHERE id = :id"), {"id": song_id}).scalar_one()
            patches = connection.execute(text("SELECT patches FROM change_log ORDER BY id DESC LIMIT 1")).scalar_one()
            touched = connection.execute(text("SELECT touched FROM edit_log ORDER BY id DESC LIMIT 1")).scalar_one()
        assert set(json.loads(kept)) == {"sections", "doubles", "under"}
        assert set(json.loads(patches)[-1]["fields"]) - {"stage"} == {"kept", "under", "doubles"}
        assert f"song/{song_id}/under/" in touched
    finally:
        store.migrate()
    with store.engine.connect() as connection:
        again = connection.execute(text("SELECT touched FROM edit_log ORDER BY id DESC LIMIT 1")).scalar_one()
    assert f"song/{song_id}/layered_loops/" in again

    def fields():
        with store.transaction() as session:
            row = load_song(session, song_id).row
            return row.layered_loops, json.loads(row.sections_before_flatten or "null")

    written = fields()
    assert written[1] == flat
    step(store, song_id, "undo")
    assert fields() == (loops, None)
    step(store, song_id, "redo")
    assert fields() == written
    do(store, song_id, "song_back")
    assert fields() == (loops, None)


def as_written_before(store):
    """Steps with the spaces that the versions before put into their JSON."""
    with store.engine.begin() as connection:
        for step_id, patches in connection.execute(text("SELECT id, patches FROM change_log")).all():
            spaced = {"patches": json.dumps(json.loads(patches)), "id": step_id}
            connection.execute(text("UPDATE change_log SET patches = :patches WHERE id = :id"), spaced)


def downgrade(store, to):
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with store.engine.begin() as connection:
        config.attributes["connection"] = connection
        command.downgrade(config, to)


def test_the_server_is_strict_and_speaks_utf8mb4(migrated):
    with migrated.engine.connect() as connection:
        mode, charset, packet, bound = connection.execute(
            text("SELECT @@sql_mode, @@character_set_database, @@max_allowed_packet, @@bind_address")
        ).one()
    assert "STRICT_ALL_TABLES" in mode
    assert charset == "utf8mb4"
    assert packet >= 64_000_000
    assert bound == "127.0.0.1"


def test_servers_made_at_the_same_time_have_nothing_in_common(tmp_path):
    def begin(number):
        server = MariaDb(tmp_path / str(number))
        database = Database(server.start())
        with database.engine.connect() as connection:
            temporary = connection.execute(text("SELECT @@tmpdir")).scalar_one()
        database.close()
        server.stop()
        return temporary

    with ThreadPoolExecutor(4) as pool:
        assert list(pool.map(begin, range(4))) == [str(tmp_path / str(number) / "tmp") for number in range(4)]


def test_recordings_that_were_named_before_they_were_rounded_get_the_name_of_what_is_kept(store):
    """In kits, in the library and in steps to undo: all plays as it did, and the songs can be taken elsewhere."""
    song = song_with_changed_sounds(store)
    after = mixed(store, song)
    with store.transaction() as session:
        keys = list(song_contents(session, song, history=True).audio)
    old = {key: f"{number:060x}01d0" for number, key in enumerate(keys)}
    with store.engine.begin() as connection:
        for key, before in old.items():
            for table, column in (("audio", "hash"), ("kit", "voices"), ("sound", "doc"), ("change_log", "patches")):
                put = f"UPDATE {table} SET {column} = REPLACE({column}, :key, :old) WHERE {column} LIKE :like"
                connection.execute(text(put), {"key": key, "old": before, "like": f"%{key}%"})
    assert any("damaged" in one for one in faults(store))
    try:
        downgrade(store, "0017")
    finally:
        store.migrate()
    assert list(faults(store)) == []
    with store.transaction() as session:
        assert set(song_contents(session, song, history=True).audio) == set(keys)
        assert session.query(AudioRow).filter(AudioRow.hash.in_(old.values())).count() == 0
    assert np.array_equal(mixed(store, song), after)
    step(store, song, "undo")
    assert not np.array_equal(mixed(store, song), after)
