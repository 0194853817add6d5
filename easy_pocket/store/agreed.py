"""What several processes of one server agree on, kept in rows: nothing a cluster of databases would refuse."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime, timedelta
from typing import Any, cast

from sqlalchemy import CursorResult, Executable, delete, or_, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from easy_pocket.store.database import Database
from easy_pocket.store.schema.people_tables import AgreedRow

SECRET = "secret"


def _now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


def server_secret(database: Database) -> bytes:
    """The same for all processes that use this database."""
    asked = select(AgreedRow.value).where(AgreedRow.name == SECRET)
    found = database.reader.scalar(asked)
    if found is None:
        with database.transaction() as session:
            session.execute(insert(AgreedRow).values(name=SECRET, value=secrets.token_hex(32)).prefix_with("IGNORE"))
        found = database.reader.scalar(asked)
    return bytes.fromhex(str(found))


def lease(database: Database, name: str, holder: str, seconds: float) -> bool:
    """Whether this holder has it for so long: nobody else has it, or theirs ran out. Asked again, it is held longer."""
    until = _now() + timedelta(seconds=seconds)
    with database.transaction() as session:
        free = or_(AgreedRow.until < _now(), AgreedRow.value == holder)
        again = update(AgreedRow).where(AgreedRow.name == name, free).values(value=holder, until=until)
        first = insert(AgreedRow).values(name=name, value=holder, until=until).prefix_with("IGNORE")
        return _rows(session, again) > 0 or _rows(session, first) > 0


def _rows(session: Session, statement: Executable) -> int:
    """How many rows it changed."""
    return cast("CursorResult[Any]", session.execute(statement)).rowcount


def give_back(database: Database, name: str, holder: str) -> None:
    with database.transaction() as session:
        session.execute(delete(AgreedRow).where(AgreedRow.name == name, AgreedRow.value == holder))


def done_before(session: Session, name: str) -> str | None:
    """What came of something that is done once, if it was done."""
    row = session.get(AgreedRow, name)
    return row.value if row else None


def done_now(session: Session, name: str, value: str, keep: timedelta = timedelta(days=2)) -> None:
    """In the transaction that does it: done twice, the second one fails."""
    session.add(AgreedRow(name=name, value=value, until=_now() + keep))
    session.flush()


def forget_done(session: Session) -> None:
    session.execute(delete(AgreedRow).where(AgreedRow.until < _now() - timedelta(days=1)))
