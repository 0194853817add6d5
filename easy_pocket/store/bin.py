"""What was taken away and can be brought back: sounds for some days, loops as long as their song."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from easy_pocket.store.database import Reads
from easy_pocket.store.schema.tables import LoopRow, SongRow, SoundRow
from easy_pocket.store.songs.shelf import BIN_DAYS

MOST_SHOWN = 200


@dataclass(frozen=True)
class BinnedThing:
    """song, song_name: of a loop. gone_at: when a sound goes for good."""

    kind: Literal["sound", "loop"]
    id: int
    name: str
    song: int = 0
    song_name: str = ""
    gone_at: datetime | None = None


def binned_things(reader: Reads) -> list[BinnedThing]:
    """Sounds, the one taken out last first; then loops by their songs."""
    sounds = select(SoundRow.id, SoundRow.name, SoundRow.removed_at).where(
        SoundRow.removed.is_(True), SoundRow.removed_at.is_not(None)
    )
    found = [
        BinnedThing("sound", number, name, gone_at=at + timedelta(days=BIN_DAYS))
        for number, name, at in reader.execute(sounds.order_by(SoundRow.removed_at.desc()).limit(MOST_SHOWN))
        if at is not None
    ]
    loops = (
        select(LoopRow.id, LoopRow.name, SongRow.id, SongRow.name)
        .join(SongRow, SongRow.id == LoopRow.song_id)
        .where(LoopRow.removed.is_(True), SongRow.deleted_at.is_(None))
        .order_by(SongRow.name, LoopRow.id)
    )
    rows = reader.execute(loops.limit(MOST_SHOWN))
    return found + [BinnedThing("loop", number, name, song, song_name) for number, name, song, song_name in rows]


def empty_sounds(session: Session) -> int:
    """Take sounds out for good that were in the bin long enough; kits that use them keep theirs."""
    old = SoundRow.removed_at < datetime.now(UTC).replace(tzinfo=None) - timedelta(days=BIN_DAYS)
    gone = list(session.scalars(select(SoundRow.id).where(SoundRow.removed.is_(True), old)))
    session.execute(delete(SoundRow).where(SoundRow.id.in_(gone)))
    return len(gone)
