"""Signing in and out: what a cookie stands for is kept here and can be taken away; who guesses waits ever longer."""

from __future__ import annotations

import logging
import math
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import delete, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from easy_pocket.core.errors import PocketError
from easy_pocket.core.text import one_line
from easy_pocket.store.database import Database, Reads
from easy_pocket.store.people.accounts import checked, now, viewer_from
from easy_pocket.store.people.secrets import digest, new_secret
from easy_pocket.store.schema.people_tables import FailedSignInRow, PersonRow, SignInRow
from easy_pocket.store.viewer import Viewer

log = logging.getLogger(__name__)
IDLE, LONGEST = timedelta(days=14), timedelta(days=90)  # after that one signs in again
USED_AGAIN = timedelta(minutes=5)  # a use that follows so soon is not written down
FREE_TRIES, LONGEST_WAIT_S = 5, 900
FREE_TRIES_OF_ADDRESS = 30  # a studio has one address for many
FORGOTTEN = timedelta(days=1)
WRONG = "Name and password do not belong together: try again, or ask the owner of the server for a new invitation."


class TooManyTriesError(PocketError):
    """It went wrong too often."""

    def __init__(self, seconds: int) -> None:
        wait = f"{seconds} seconds" if seconds < 120 else f"{math.ceil(seconds / 60)} minutes"
        super().__init__(f"It went wrong too often: wait {wait}, then try again.")
        self.seconds = seconds


def sign_in(database: Database, name: str, password: str, address: str, device: str) -> str:
    """What the cookie is to hold. Raises TooManyTriesError, or PocketError when it is not right."""
    tries = ((f"name {name.casefold()}", FREE_TRIES), (f"address {address}", FREE_TRIES_OF_ADDRESS))
    keys = {digest(what): free for what, free in tries}
    with database.transaction() as session:
        _refuse_too_soon(session, list(keys))
        row = checked(session, name, password)
        if row is not None:
            session.execute(delete(FailedSignInRow).where(FailedSignInRow.digest == next(iter(keys))))
            log.info("signed in", extra={"facts": {"person": row.id}})
            return begin(session, row.id, device)
        for key, free in keys.items():
            _count(session, key, free)
    log.warning(
        "a sign-in failed", extra={"told": True, "facts": {"name": digest(name.casefold())[:12], "address": address}}
    )
    raise PocketError(WRONG)


def confirm_password(database: Database, viewer: Viewer, password: str) -> bool:
    """Whether who is signed in knows the password, too. Guessing waits as it does at the door."""
    key = digest(f"name {viewer.name.casefold()}")
    with database.transaction() as session:
        _refuse_too_soon(session, [key])
        right = checked(session, viewer.name, password) is not None
        if not right:
            _count(session, key, FREE_TRIES)
    return right


def begin(session: Session, person_id: int, device: str) -> str:
    secret = new_secret()
    named = one_line(device, 120) or "a browser"
    session.add(SignInRow(person_id=person_id, digest=digest(secret), device=named, made_at=now(), used_at=now()))
    session.flush()
    return secret


def _refuse_too_soon(session: Session, keys: list[str]) -> None:
    asked = select(FailedSignInRow.again_at).where(FailedSignInRow.digest.in_(keys))
    latest = max(session.scalars(asked), default=None)
    if latest is not None and latest > now():
        raise TooManyTriesError(math.ceil((latest - now()).total_seconds()))


def _count(session: Session, key: str, free: int) -> None:
    """After some tries each waits twice as long as the one before."""
    row = session.get(FailedSignInRow, key, with_for_update=True)
    if row is not None and now() - row.again_at > FORGOTTEN:
        row.count = 0
    count = (row.count if row else 0) + 1
    wait_s = 0 if count < free else min(LONGEST_WAIT_S, 2 ** min(count - free + 1, 20))
    values = {"count": count, "again_at": now() + timedelta(seconds=wait_s)}
    session.execute(insert(FailedSignInRow).values(digest=key, **values).on_duplicate_key_update(**values))


def who(database: Database, reads: Reads, secret: str) -> Viewer | None:
    """Who a cookie stands for; None when it was taken away or is too old."""
    asked = select(SignInRow, PersonRow).join(PersonRow, PersonRow.id == SignInRow.person_id)
    found = reads.execute(asked.where(SignInRow.digest == digest(secret))).first()
    if found is None:
        return None
    row, person = found
    if now() - row.used_at > IDLE or now() - row.made_at > LONGEST:
        return None
    if now() - row.used_at > USED_AGAIN:
        with database.transaction() as session:
            session.execute(update(SignInRow).where(SignInRow.id == row.id).values(used_at=now()))
    return viewer_from(person)


def sign_out(session: Session, secret: str) -> None:
    session.execute(delete(SignInRow).where(SignInRow.digest == digest(secret)))


@dataclass(frozen=True)
class Device:
    """A browser somebody is signed in with; this_one: the one that asks."""

    id: int
    name: str
    used_at: datetime
    this_one: bool


def devices(reads: Reads, person_id: int, secret: str) -> list[Device]:
    asked = select(SignInRow).where(SignInRow.person_id == person_id).order_by(SignInRow.used_at.desc())
    mine = digest(secret)
    return [Device(row.id, row.device, row.used_at, row.digest == mine) for row in reads.scalars(asked)]


def sign_device_out(session: Session, person_id: int, device_id: int) -> None:
    """device_id 0: all of them."""
    mine = [SignInRow.person_id == person_id, *([SignInRow.id == device_id] if device_id else [])]
    session.execute(delete(SignInRow).where(*mine))


def forget_old(session: Session) -> None:
    """Sign-ins that are too old, and counts of tries nobody needs any more."""
    session.execute(delete(SignInRow).where(SignInRow.used_at < now() - IDLE))
    session.execute(delete(FailedSignInRow).where(FailedSignInRow.again_at < now() - FORGOTTEN))
