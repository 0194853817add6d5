"""The connection: one engine, sessions as transactions, short reads, migrations."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, TypeVar

import orjson
from sqlalchemy import Engine, Executable, create_engine
from sqlalchemy.orm import Session

from easy_pocket.store import scope
from easy_pocket.store.json_text import to_json
from easy_pocket.store.schema import MIGRATIONS
from easy_pocket.store.viewer import Viewer

POOL = 12
LOCK_WAIT_S = 8  # of one statement; the edit is tried again then, see edits/pipeline.py
Row = TypeVar("Row")


def make_engine(url: str) -> Engine:
    """Short timeouts: a page that waits for a dead database is worse than one that says so. What is written is never
    part of an error's text, so that no song comes into the log."""
    return create_engine(
        url,
        pool_size=POOL,
        max_overflow=POOL,
        pool_pre_ping=True,
        pool_recycle=3600,
        pool_timeout=5,
        hide_parameters=True,
        json_serializer=to_json,
        json_deserializer=orjson.loads,
        connect_args={
            "connect_timeout": 3,
            "read_timeout": 20,
            "write_timeout": 20,
            "charset": "utf8mb4",
            # In a cluster what was written through another server is read here, too.
            "init_command": f"SET SESSION innodb_lock_wait_timeout={LOCK_WAIT_S}, wsrep_sync_wait=1",
        },
        isolation_level="READ COMMITTED",
    )


def replica_engine() -> Engine | None:
    """As the settings say (EASY_POCKET_REPLICA_URL)."""
    url = os.environ.get("EASY_POCKET_REPLICA_URL")
    return make_engine(url) if url else None


class Found(list[Any]):
    """Rows that were read; they stay usable after their connection is given back."""

    def all(self) -> list[Any]:
        return self

    def first(self) -> Any:
        return self[0] if self else None


class Reader:
    """Reads, each on a connection of its own that is given back at once: what takes long is computed in between, with
    no transaction open and no connection held. `together` makes several reads on one connection. viewer: who reads;
    none is who may see everything."""

    def __init__(self, engine: Engine, viewer: Viewer | None = None) -> None:
        self.engine, self.viewer = engine, viewer

    @contextmanager
    def together(self) -> Iterator[Session]:
        with _session(self.engine, self.viewer) as session, session.begin():
            yield session

    def scalar(self, asked: Executable) -> Any:
        with self.together() as session:
            return session.scalar(asked)

    def scalars(self, asked: Executable) -> Found:
        with self.together() as session:
            return Found(session.scalars(asked))

    def execute(self, asked: Executable) -> Found:
        with self.together() as session:
            return Found(session.execute(asked))

    def get(self, table: type[Row], key: Any) -> Row | None:
        with self.together() as session:
            return session.get(table, key)


def _session(engine: Engine, viewer: Viewer | None) -> Session:
    return Session(engine, expire_on_commit=False, info={scope.VIEWER: viewer})


Reads = Session | Reader  # what functions that only read are given


def viewer_of(reads: Reads) -> Viewer | None:
    return reads.viewer if isinstance(reads, Reader) else scope.viewer_of(reads)


def reader_of(session: Reads) -> Reader:
    """Give a Reader of the session's database, for reads that go on after the session."""
    if isinstance(session, Reader):
        return session
    engine = session.get_bind()
    assert isinstance(engine, Engine)
    return Reader(engine, scope.viewer_of(session))


class Database:
    """viewer: whose eyes it is seen with; see `seen_by`. replica: a copy that may be a little behind, for reads that
    may be old; without one they go to the database itself."""

    def __init__(
        self, url: str, engine: Engine | None = None, viewer: Viewer | None = None, replica: Engine | None = None
    ) -> None:
        self.url = url
        self.engine = engine or make_engine(url)
        self.viewer, self.replica = viewer, replica
        self.reader = Reader(self.engine, viewer)

    @property
    def old_reader(self) -> Reader:
        """For what may be a moment old: a song that is listened to by a link."""
        return Reader(self.replica or self.engine, self.viewer)

    def seen_by(self, viewer: Viewer | None) -> Database:
        """The same, narrowed to what this person may see; all that is written through it is theirs."""
        return self if viewer == self.viewer else Database(self.url, self.engine, viewer, self.replica)

    @contextmanager
    def transaction(self) -> Iterator[Session]:
        """Everything in the block is committed, or nothing is."""
        with _session(self.engine, self.viewer) as session, session.begin():
            yield session

    def migrate(self, to: str = "head") -> None:
        from alembic import command  # heavy, and not needed to read
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, to)

    def close(self) -> None:
        self.engine.dispose()
        if self.replica is not None:
            self.replica.dispose()
