"""What was taken away and can be brought back: sounds and kits for some days, loops as long as their song."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from easy_pocket.store.bin_days import bin_days, kept_since
from easy_pocket.store.database import Reads
from easy_pocket.store.schema.tables import ChangeRow, KitRow, LoopRow, PartRow, SongRow, SoundRow
from easy_pocket.store.songs.shelf import empty_bin

MOST_SHOWN = 200


@dataclass(frozen=True)
class BinnedThing:
    """song, song_name: of a loop. gone_at: when a sound or a kit goes for good."""

    kind: Literal["sound", "kit", "loop"]
    id: int | str
    name: str
    song: int = 0
    song_name: str = ""
    gone_at: datetime | None = None


def binned_things(reader: Reads) -> list[BinnedThing]:
    """Sounds and kits, the one taken out last first; then loops by their songs."""
    sounds = select(SoundRow.id, SoundRow.name, SoundRow.removed_at).where(
        SoundRow.removed.is_(True), SoundRow.removed_at.is_not(None)
    )
    kits = select(KitRow.key, KitRow.name, KitRow.removed_at).where(
        KitRow.removed_at.is_not(None), KitRow.key.not_in(select(PartRow.kit_key).where(PartRow.removed.is_(False)))
    )
    days = timedelta(days=bin_days())
    found: list[BinnedThing] = []
    for number, name, at in reader.execute(sounds.order_by(SoundRow.removed_at.desc()).limit(MOST_SHOWN)):
        found += [BinnedThing("sound", number, name, gone_at=at + days)] if at else []
    for key, name, at in reader.execute(kits.order_by(KitRow.removed_at.desc()).limit(MOST_SHOWN)):
        found += [BinnedThing("kit", key, name, gone_at=at + days)] if at else []
    loops = (
        select(LoopRow.id, LoopRow.name, SongRow.id, SongRow.name)
        .join(SongRow, SongRow.id == LoopRow.song_id)
        .where(LoopRow.removed.is_(True), SongRow.deleted_at.is_(None))
        .order_by(SongRow.name, LoopRow.id)
    )
    rows = reader.execute(loops.limit(MOST_SHOWN))
    return found + [BinnedThing("loop", number, name, song, song_name) for number, name, song, song_name in rows]


def empty_things(session: Session, *, at_once: bool = False) -> int:
    """Take sounds and kits out for good that were in the bin long enough, or all: how many they were.

    Kits that use a sound keep it. A kit that some song needs, perhaps only to undo, stays.
    """
    waited = SoundRow.removed_at.is_not(None) if at_once else SoundRow.removed_at < kept_since()
    sounds = list(session.scalars(select(SoundRow.id).where(SoundRow.removed.is_(True), waited)))
    session.execute(delete(SoundRow).where(SoundRow.id.in_(sounds)))
    waited = KitRow.removed_at.is_not(None) if at_once else KitRow.removed_at < kept_since()
    unused = KitRow.key.not_in(select(PartRow.kit_key))
    kits = [key for key in session.scalars(select(KitRow.key).where(waited, unused)) if not _in_history(session, key)]
    session.execute(delete(KitRow).where(KitRow.key.in_(kits)))
    return len(sounds) + len(kits)


def _in_history(session: Session, key: str) -> bool:
    named = select(ChangeRow.id).where(ChangeRow.patches.contains(f'"{key}"', autoescape=True))
    return session.scalar(named.limit(1)) is not None


def empty_all(session: Session) -> int:
    """Everything that waits in it with an end of its own, now: how many things they were."""
    return empty_bin(session, at_once=True) + empty_things(session, at_once=True)
