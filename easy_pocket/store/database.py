"""The connection: one engine, sessions as transactions, migrations."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker

MIGRATIONS = Path(__file__).with_name("migrations")


def make_engine(url: str) -> Engine:
    """Short timeouts: a page that waits for a dead database is worse than one that says so."""
    return create_engine(
        url,
        pool_size=8,
        pool_pre_ping=True,
        pool_recycle=3600,
        pool_timeout=5,
        connect_args={"connect_timeout": 3, "read_timeout": 20, "write_timeout": 20, "charset": "utf8mb4"},
        isolation_level="READ COMMITTED",
    )


class Database:
    def __init__(self, url: str) -> None:
        self.url = url
        self.engine = make_engine(url)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def transaction(self) -> Iterator[Session]:
        """Everything in the block is committed, or nothing is."""
        with self._sessions() as session, session.begin():
            yield session

    def migrate(self, to: str = "head") -> None:
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, to)

    def close(self) -> None:
        self.engine.dispose()
