"""Named snapshots of a pattern: kept, listed, taken back, put away. Keeping one never touches the pattern."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, PocketError
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.store.database import Reads
from easy_pocket.store.hits_json import hits_from_json, pattern_to_json
from easy_pocket.store.schema.tables import SnapshotRow
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.loaded import LoadedSong

MOST_SNAPSHOTS = 200


def snapshots(session: Reads, song: LoadedSong) -> list[SnapshotRow]:
    """Of the song's pattern, the oldest first."""
    found = select(SnapshotRow).where(SnapshotRow.pattern_id == song.pattern_id, SnapshotRow.removed.is_(False))
    return list(session.scalars(found.order_by(SnapshotRow.id)))


def store_snapshot(session: Session, song: LoadedSong, name: str) -> SnapshotRow:
    """The pattern as it is now, under a name. Raises BadValueError for no name, or more than 200 snapshots."""
    kept = select(func.count()).where(SnapshotRow.pattern_id == song.pattern_id, SnapshotRow.removed.is_(False))
    count = session.scalar(kept) or 0
    if count >= MOST_SNAPSHOTS:
        raise BadValueError(f"This pattern has {MOST_SNAPSHOTS} snapshots; put some away first.")
    row = SnapshotRow(
        pattern_id=song.pattern_id,
        name=check_name(name),
        length_ticks=song.pattern.length_ticks,
        hits=pattern_to_json(song.pattern),
    )
    session.add(row)
    session.flush()
    return row


def find_snapshot(session: Reads, song: LoadedSong, snapshot_id: int) -> SnapshotRow:
    """Raises PocketError when this pattern has none of that number."""
    row = session.get(SnapshotRow, snapshot_id)
    if row is None or row.pattern_id != song.pattern_id:
        raise PocketError("This snapshot is gone: choose another one of the list.")
    return row


def snapshot_pattern(song: LoadedSong, row: SnapshotRow) -> Pattern:
    return Pattern(row.length_ticks, tuple(hits_from_json(row.hits)), song.metre)


def remove_snapshot(session: Session, song: LoadedSong, snapshot_id: int, removed: bool) -> None:
    """Take a snapshot off the list, or put it back."""
    find_snapshot(session, song, snapshot_id).removed = removed
