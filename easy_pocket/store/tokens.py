"""Tokens of programs: made once, told once, kept as a digest, taken away at any time."""

from __future__ import annotations

import hashlib
import secrets
from datetime import UTC, datetime, timedelta
from typing import Literal

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.text import one_line
from easy_pocket.store.database import Database, Reads
from easy_pocket.store.schema.tables import TokenRow

Scope = Literal["read", "write"]
BEGINS = "pocket-"
MOST_TOKENS = 100
USED_AGAIN = timedelta(minutes=1)  # a use that follows so soon is not written down


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def make_token(session: Session, name: str, scope: Scope) -> tuple[TokenRow, str]:
    """A new token and its row; the token itself is not kept. Raises BadValueError for no name, or too many."""
    named = one_line(name, 80)
    if not named:
        raise BadValueError("A token needs a name: write what it is for, such as 'laptop script'.")
    if (session.scalar(select(func.count(TokenRow.id))) or 0) >= MOST_TOKENS:
        raise BadValueError(f"There are {MOST_TOKENS} tokens already: take away those that are not used.")
    token = BEGINS + secrets.token_urlsafe(32)
    row = TokenRow(name=named, scope=scope, digest=_digest(token))
    session.add(row)
    session.flush()
    return row, token


def tokens(session: Reads) -> list[TokenRow]:
    return list(session.scalars(select(TokenRow).order_by(TokenRow.id)))


def take_token_away(session: Session, token_id: int) -> None:
    session.execute(delete(TokenRow).where(TokenRow.id == token_id))


def scope_of(database: Database, token: str) -> Scope | None:
    """What a token allows; None for one that is unknown or was taken away."""
    row = database.reader.scalar(select(TokenRow).where(TokenRow.digest == _digest(token[:200])))
    if row is None:
        return None
    now = datetime.now(UTC).replace(tzinfo=None)
    if row.used_at is None or now - row.used_at > USED_AGAIN:
        with database.transaction() as session:
            session.execute(update(TokenRow).where(TokenRow.id == row.id).values(used_at=now))
    return "write" if row.scope == "write" else "read"
