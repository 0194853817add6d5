"""Links to a song: to listen, to copy, or to write in it; each ends when whose song it is ends it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, NotThereError
from easy_pocket.store.database import Reads, viewer_of
from easy_pocket.store.people.accounts import check_person_name, now
from easy_pocket.store.people.secrets import digest, new_secret
from easy_pocket.store.schema.people_tables import LinkRow, MemberRow, PersonRow
from easy_pocket.store.schema.tables import SongRow
from easy_pocket.store.scope import of_everybody
from easy_pocket.store.viewer import person_of

LinkKind = Literal["listen", "copy", "write"]
MOST_LINKS, MOST_MEMBERS = 40, 64  # of a song
GUEST_DAYS = timedelta(days=1)


@dataclass(frozen=True)
class OpenLink:
    """A link that holds. owner_id, owner: whose song it is."""

    id: int
    kind: LinkKind
    song_id: int
    song: str
    owner_id: int
    owner: str


@dataclass(frozen=True)
class Member:
    """Somebody who writes in a song; role: "member", or "guest" without an account."""

    person_id: int
    name: str
    role: str
    link_id: int


def make_link(session: Session, song_id: int, kind: LinkKind) -> tuple[LinkRow, str]:
    """The link itself is not kept. Raises BadValueError for too many."""
    if (session.scalar(select(func.count(LinkRow.id)).where(LinkRow.song_id == song_id)) or 0) >= MOST_LINKS:
        raise BadValueError(f"This song has {MOST_LINKS} links: end some first.")
    secret = new_secret()
    row = LinkRow(song_id=song_id, person_id=person_of(viewer_of(session)), kind=kind, digest=digest(secret))
    session.add(row)
    session.flush()
    return row, secret


def links_of(reads: Reads, song_id: int) -> list[LinkRow]:
    return list(reads.scalars(select(LinkRow).where(LinkRow.song_id == song_id).order_by(LinkRow.id)))


def end_link(session: Session, song_id: int, link_id: int) -> None:
    """Who came by it is out at once."""
    session.execute(delete(LinkRow).where(LinkRow.id == link_id, LinkRow.song_id == song_id))


def open_link(reads: Reads, secret: str) -> OpenLink:
    """Raises NotThereError for one that was ended, or whose song is gone. reads: of everybody."""
    asked = (
        select(LinkRow, SongRow.name, SongRow.owner_id, PersonRow.name)
        .join(SongRow, SongRow.id == LinkRow.song_id)
        .join(PersonRow, PersonRow.id == SongRow.owner_id)
        .where(LinkRow.digest == digest(secret), SongRow.deleted_at.is_(None))
    )
    found = reads.execute(of_everybody(asked)).first()
    if found is None:
        raise NotThereError("This link was ended: ask whoever gave it to you for a new one.")
    row, song, owner_id, owner = found
    return OpenLink(row.id, row.kind, row.song_id, song, owner_id, owner)


def let_in(session: Session, link: OpenLink, person_id: int) -> None:
    """From now on this person writes in the song, as long as the link is there."""
    if person_id == link.owner_id or session.get(MemberRow, (link.song_id, person_id)) is not None:
        return
    if (session.scalar(select(func.count(MemberRow.person_id)).where(MemberRow.song_id == link.song_id)) or 0) >= (
        MOST_MEMBERS
    ):
        raise BadValueError(f"{MOST_MEMBERS} people write in this song, the most there can be.")
    session.add(MemberRow(song_id=link.song_id, person_id=person_id, link_id=link.id))
    session.flush()


def guest(session: Session, link: OpenLink, name: str) -> PersonRow:
    """Somebody without an account who writes in this song. Their name is made one that nobody has."""
    wanted = check_person_name(name)[:40]
    taken = set(session.scalars(select(PersonRow.name).where(PersonRow.name.like(f"{wanted} (guest%"))))
    numbers = (f"{wanted} (guest{f' {number}' if number > 1 else ''})" for number in range(1, len(taken) + 2))
    row = PersonRow(name=next(one for one in numbers if one not in taken), role="guest")
    session.add(row)
    session.flush()
    let_in(session, link, row.id)
    return row


def members_of(reads: Reads, song_id: int) -> list[Member]:
    asked = (
        select(PersonRow.id, PersonRow.name, PersonRow.role, MemberRow.link_id)
        .join(MemberRow, MemberRow.person_id == PersonRow.id)
        .where(MemberRow.song_id == song_id)
        .order_by(MemberRow.made_at, PersonRow.id)
    )
    return [Member(*row) for row in reads.execute(asked)]


def take_member_out(session: Session, song_id: int, person_id: int) -> None:
    session.execute(delete(MemberRow).where(MemberRow.song_id == song_id, MemberRow.person_id == person_id))


def songs_written_in(reads: Reads, person_id: int) -> dict[int, str]:
    """Songs of others this person writes in, to whose they are."""
    asked = (
        select(SongRow.id, PersonRow.name)
        .join(MemberRow, MemberRow.song_id == SongRow.id)
        .join(PersonRow, PersonRow.id == SongRow.owner_id)
        .where(MemberRow.person_id == person_id, SongRow.deleted_at.is_(None))
        .order_by(SongRow.id)
    )
    return {row[0]: row[1] for row in reads.execute(of_everybody(asked))}


def forget_guests(session: Session, moment: datetime | None = None) -> None:
    """Those whose link was ended."""
    old = (moment or now()) - GUEST_DAYS
    gone = PersonRow.role == "guest", PersonRow.made_at < old, PersonRow.id.not_in(select(MemberRow.person_id))
    session.execute(delete(PersonRow).where(*gone).execution_options(synchronize_session=False))
