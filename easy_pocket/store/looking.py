"""Which part, pattern and section of a song a page looks at: what it writes goes there."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from sqlalchemy.orm import Session

from easy_pocket.store.database import Database

KEY = "looking at"


@dataclass(frozen=True)
class Looking:
    """Ids; 0 is not chosen: then the first there is."""

    part_id: int = 0
    pattern_id: int = 0
    section_id: int = 0


def look(session: Session, looking: Looking) -> None:
    """For the rest of the session songs are loaded as seen from there."""
    session.info[KEY] = looking


def looking_at(session: Session) -> Looking:
    found: Looking = session.info.get(KEY, Looking())
    return found


class SeenDatabase:
    """The database as a page sees it: songs are loaded from where it looks."""

    def __init__(self, database: Database, looking: Looking) -> None:
        self.database = database
        self.looking = looking

    @property
    def url(self) -> str:
        return self.database.url

    @contextmanager
    def transaction(self) -> Iterator[Session]:
        with self.database.transaction() as session:
            look(session, self.looking)
            yield session
