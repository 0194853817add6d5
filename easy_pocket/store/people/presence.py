"""Who has which song open, and where they look. It is told by their pages, and holds over all processes."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import delete, select, update
from sqlalchemy.dialects.mysql import insert

from easy_pocket.store.database import Database, Reader
from easy_pocket.store.people.accounts import now
from easy_pocket.store.schema.people_tables import PersonRow, PresenceRow

STILL_THERE = timedelta(seconds=20)  # since its page was heard of last
STITCHES = 5  # by which people are told apart


@dataclass(frozen=True)
class Present:
    """tab: of the page. place: "part.pattern.section" as its address has it."""

    tab: str
    person_id: int
    name: str
    screen: str
    place: str

    @property
    def stitch(self) -> int:
        return self.person_id % STITCHES


def come(database: Database, song_id: int, tab: str, person_id: int, screen: str, place: str) -> None:
    """Somebody's page shows the song, or shows another place of it."""
    values = {"person_id": person_id, "screen": screen, "place": place, "seen_at": now()}
    put = insert(PresenceRow).values(song_id=song_id, tab=tab, **values)
    with database.transaction() as session:
        session.execute(put.on_duplicate_key_update(**values))


def go(database: Database, song_id: int, tab: str) -> None:
    with database.transaction() as session:
        session.execute(delete(PresenceRow).where(PresenceRow.song_id == song_id, PresenceRow.tab == tab))


def still_there(database: Database, tabs: Collection[str]) -> None:
    """Those whose pages follow their song; and those are forgotten of whom nothing was heard for long."""
    with database.transaction() as session:
        if tabs:
            session.execute(update(PresenceRow).where(PresenceRow.tab.in_(tabs)).values(seen_at=now()))
        session.execute(delete(PresenceRow).where(PresenceRow.seen_at < now() - 10 * STILL_THERE))


def present(reader: Reader, songs: Collection[int]) -> dict[int, list[Present]]:
    """By song, in the order of their names."""
    asked = (
        select(PresenceRow, PersonRow.name)
        .join(PersonRow, PersonRow.id == PresenceRow.person_id)
        .where(PresenceRow.song_id.in_(songs), PresenceRow.seen_at > now() - STILL_THERE)
        .order_by(PersonRow.name, PresenceRow.tab)
    )
    found: dict[int, list[Present]] = {song: [] for song in songs}
    for row, name in reader.execute(asked):
        found[row.song_id].append(Present(row.tab, row.person_id, name, row.screen, row.place))
    return found
