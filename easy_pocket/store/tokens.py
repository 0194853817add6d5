"""Tokens of programs: made once, told once, kept as a digest, taken away at any time."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, NotThereError
from easy_pocket.core.text import one_line
from easy_pocket.store.database import Database, Reads, viewer_of
from easy_pocket.store.people.secrets import digest, new_secret
from easy_pocket.store.schema.tables import TokenRow
from easy_pocket.store.viewer import person_of

Scope = Literal["read", "write"]
BEGINS = "pocket-"
MOST_TOKENS = 100
USED_AGAIN = timedelta(minutes=1)  # a use that follows so soon is not written down


def make_token(session: Session, name: str, scope: Scope) -> tuple[TokenRow, str]:
    """A new token and its row; the token itself is not kept. Raises BadValueError for no name, or too many."""
    named = one_line(name, 80)
    if not named:
        raise BadValueError("A token needs a name: write what it is for, such as 'laptop script'.")
    if (session.scalar(select(func.count(TokenRow.id))) or 0) >= MOST_TOKENS:
        raise BadValueError(f"There are {MOST_TOKENS} tokens already: take away those that are not used.")
    token = BEGINS + new_secret()
    row = TokenRow(name=named, scope=scope, digest=digest(token), person_id=person_of(viewer_of(session)))
    session.add(row)
    session.flush()
    return row, token


def tokens(session: Reads) -> list[TokenRow]:
    return list(session.scalars(select(TokenRow).order_by(TokenRow.id)))


def take_token_away(session: Session, token_id: int) -> None:
    row = session.scalar(select(TokenRow).where(TokenRow.id == token_id))
    if row is None:
        raise NotThereError("This token was taken away already.")
    session.delete(row)


@dataclass(frozen=True)
class KnownToken:
    scope: Scope
    person_id: int


def known_token(database: Database, token: str) -> KnownToken | None:
    """What a token allows, and whose it is; None for one that is unknown or was taken away."""
    row = database.reader.scalar(select(TokenRow).where(TokenRow.digest == digest(token)))
    if row is None:
        return None
    now = datetime.now(UTC).replace(tzinfo=None)
    if row.used_at is None or now - row.used_at > USED_AGAIN:
        with database.transaction() as session:
            session.execute(update(TokenRow).where(TokenRow.id == row.id).values(used_at=now))
    return KnownToken("write" if row.scope == "write" else "read", row.person_id)
