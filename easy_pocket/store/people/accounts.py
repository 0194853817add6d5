"""Accounts: made with an invitation, which its person takes up with a password."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from typing import cast

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import delete, exists, func, or_, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.text import one_line
from easy_pocket.store.database import Reads
from easy_pocket.store.people.secrets import digest, new_secret
from easy_pocket.store.schema.people_tables import PasskeyRow, PersonRow, SignInRow
from easy_pocket.store.schema.tables import FIRST_PERSON
from easy_pocket.store.viewer import Role, Viewer

INVITED = timedelta(days=7)
SHORTEST, LONGEST = 12, 128  # of a password
MOST_NAME = 60
MOST_PEOPLE = 100_000
COMMON = frozenset(
    ("123456789012", "1234567890123", "password1234", "passwordpassword", "qwertyuiop12", "qwertyuiopas",
     "adminadmin12", "letmeinletmein", "iloveyou1234", "000000000000", "111111111111", "aaaaaaaaaaaa")
)  # fmt: skip
_hasher = PasswordHasher()


def now() -> datetime:
    """In UTC, as the database keeps times."""
    return datetime.now(UTC).replace(tzinfo=None)


def viewer_from(row: PersonRow) -> Viewer:
    return Viewer(row.id, row.name, cast(Role, row.role))


def are_there_accounts(reads: Reads) -> bool:
    """Whether somebody was ever invited: from then on everybody signs in."""
    asked = exists().where(or_(PersonRow.password.is_not(None), PersonRow.invitation.is_not(None)))
    return bool(reads.scalar(select(asked)))


def check_person_name(name: str) -> str:
    """Raises BadValueError for one that cannot be."""
    cleaned = one_line(name, len(name))
    if not 1 <= len(cleaned) <= MOST_NAME:
        raise BadValueError(f"A name has 1 to {MOST_NAME} characters; this one has {len(cleaned)}.")
    return cleaned


def invite(session: Session, name: str) -> tuple[PersonRow, str]:
    """An account without a password, and the invitation that sets one. The first one is the owner of the server, and
    has all that is there. Somebody who has an account gets a new invitation: it sets a new password."""
    name = check_person_name(name)
    row = session.scalar(select(PersonRow).where(PersonRow.name == name))
    if row is not None and row.role == "guest":
        raise BadValueError(f"{row.name} is a guest of a song: give the account another name.")
    if row is None and not are_there_accounts(session):
        row = session.get(PersonRow, FIRST_PERSON)
        assert row is not None
        row.name = name
    if row is None:
        if (session.scalar(select(func.count(PersonRow.id))) or 0) >= MOST_PEOPLE:
            raise BadValueError(f"There are {MOST_PEOPLE} accounts, the most there can be.")
        row = PersonRow(name=name, role="member")
        session.add(row)
    invitation = new_secret()
    row.invitation, row.invited_until = digest(invitation), now() + INVITED
    session.flush()
    return row, invitation


def invited(session: Reads, invitation: str) -> PersonRow | None:
    """Who an invitation is for, while it holds."""
    asked = select(PersonRow).where(PersonRow.invitation == digest(invitation), PersonRow.invited_until > now())
    row: PersonRow | None = session.scalar(asked)
    return row


def take_up(session: Session, invitation: str, password: str) -> PersonRow:
    """Set the password. Raises BadValueError for an invitation that does not hold, or a password that is too weak."""
    row = invited(session, invitation)
    if row is None:
        raise BadValueError("This invitation was used, or is older than a week: ask for a new one.")
    set_password(session, row, password)
    session.execute(delete(PasskeyRow).where(PasskeyRow.person_id == row.id))  # whoever had the account before
    row.invitation = row.invited_until = None
    return row


def set_password(session: Session, row: PersonRow, password: str) -> None:
    """Everybody who is signed in as this person is signed out."""
    row.password = _hasher.hash(check_password(password, row.name))
    session.execute(delete(SignInRow).where(SignInRow.person_id == row.id))


def check_password(password: str, name: str = "") -> str:
    """Raises BadValueError for one that is too short or easily guessed."""
    if len(password) < SHORTEST:
        raise BadValueError(f"The password has {len(password)} characters; {SHORTEST} are needed. Four words are good.")
    if len(password) > LONGEST:
        raise BadValueError(f"The password has {len(password)} characters; at most {LONGEST} are taken.")
    plain = password.casefold()
    if plain in COMMON or len(set(plain)) < 4 or (name and plain.strip("0123456789") == name.casefold()):
        raise BadValueError("This password is one of the first that are tried: take another. Four words are good.")
    return password


@lru_cache(maxsize=1)
def _nobody() -> str:
    return _hasher.hash("nobody has this password")


def checked(session: Session, name: str, password: str) -> PersonRow | None:
    """Who this is; None when name and password do not belong together. It takes as long for a name nobody has."""
    row: PersonRow | None = session.scalar(select(PersonRow).where(PersonRow.name == name[:MOST_NAME]))
    kept = row.password if row is not None and row.password else None
    try:
        _hasher.verify(kept or _nobody(), password[:LONGEST])
    except (VerificationError, InvalidHashError):
        return None
    if row is None or kept is None:
        return None
    if _hasher.check_needs_rehash(kept):
        row.password = _hasher.hash(password)
    return row


@dataclass(frozen=True)
class ListedPerson:
    """invited_until: while an invitation waits. devices: browsers that are signed in."""

    id: int
    name: str
    role: Role
    invited_until: datetime | None
    has_password: bool
    devices: int


def people(reads: Reads) -> list[ListedPerson]:
    """All but guests, by name."""
    counted = select(SignInRow.person_id, func.count(SignInRow.id)).group_by(SignInRow.person_id)
    devices: dict[int, int] = {row[0]: row[1] for row in reads.execute(counted)}
    asked = select(PersonRow).where(PersonRow.role != "guest").order_by(PersonRow.name)
    return [_listed(row, devices.get(row.id, 0)) for row in reads.scalars(asked)]


def _listed(row: PersonRow, count: int) -> ListedPerson:
    until = row.invited_until if row.invitation else None
    return ListedPerson(
        row.id, row.name, "owner" if row.role == "owner" else "member", until, row.password is not None, count
    )
