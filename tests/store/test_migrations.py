"""Migrations make exactly the tables the models describe, and keep what an older database holds."""

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import text

from easy_pocket.demo.load import load_demo
from easy_pocket.store.database import MIGRATIONS
from easy_pocket.store.models import Base
from easy_pocket.store.songs import shelf


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
        assert next(song.row.name for song in shelf(session)) == "Lamplighter"
    with store.engine.connect() as connection:
        assert connection.execute(text("SELECT hits FROM pattern ORDER BY id")).scalars().all() == before


def test_the_server_is_strict_and_speaks_utf8mb4(migrated):
    with migrated.engine.connect() as connection:
        mode, charset, packet, bound = connection.execute(
            text("SELECT @@sql_mode, @@character_set_database, @@max_allowed_packet, @@bind_address")
        ).one()
    assert "STRICT_ALL_TABLES" in mode
    assert charset == "utf8mb4"
    assert packet >= 64_000_000
    assert bound == "127.0.0.1"
