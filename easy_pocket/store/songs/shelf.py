"""The shelf: all songs; and the bin, where one that was deleted waits to be brought back."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.store.bin_days import bin_days, kept_since
from easy_pocket.store.database import Reads, viewer_of
from easy_pocket.store.kits.kits import load_kits
from easy_pocket.store.people.links import songs_written_in
from easy_pocket.store.schema.tables import ChangeRow, PartRow, PatternRow, SectionRow, SongRow
from easy_pocket.store.scope import of_everybody
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.song_facts import song_length
from easy_pocket.store.songs.stored_patterns import pattern_of


@dataclass(frozen=True)
class BinnedSong:
    """gone_at: when it goes for good."""

    id: int
    name: str
    gone_at: datetime


@dataclass(frozen=True)
class ShelfSong:
    """pattern: the first of its first part, for the picture. bars: of the song, repeats counted.
    steps: of its history. owner: whose it is, if not of who looks."""

    id: int
    name: str
    tempo_bpm: float
    changed_at: datetime
    pattern: Pattern
    kit_name: str
    parts: int
    bars: int
    length_s: float
    steps: int = 0
    owner: str = ""


def shelf(session: Reads) -> list[ShelfSong]:
    """All songs, the one changed last first."""
    viewer = viewer_of(session)
    others = songs_written_in(session, viewer.person) if viewer else {}
    asked = select(SongRow).where(SongRow.deleted_at.is_(None))
    songs = list(session.scalars(asked.order_by(SongRow.changed_at.desc(), SongRow.id.desc())))
    if others:
        songs += session.scalars(of_everybody(select(SongRow).where(SongRow.id.in_(others))))
        songs.sort(key=lambda song: (song.changed_at, song.id), reverse=True)
    parts: dict[int, list[PartRow]] = {}
    ids = [song.id for song in songs]
    mine = PartRow.removed.is_(False), PartRow.song_id.in_(ids)
    of_parts = select(PartRow).where(*mine).order_by(PartRow.position, PartRow.id)
    for part in session.scalars(of_parts):
        parts.setdefault(part.song_id, []).append(part)
    firsts = [parts[song.id][0] for song in songs]
    drawn = _first_patterns(session, [part.id for part in firsts])
    sections: dict[int, list[SectionRow]] = {}
    of_songs = select(SectionRow).where(SectionRow.song_id.in_(ids))
    for section in session.scalars(of_songs.order_by(SectionRow.position, SectionRow.id)):
        sections.setdefault(section.song_id, []).append(section)
    counted = select(ChangeRow.song_id, func.count(ChangeRow.id)).where(ChangeRow.song_id.in_(ids))
    counted = counted.group_by(ChangeRow.song_id)
    steps: dict[int, int] = {row[0]: row[1] for row in session.execute(counted)}
    kits = load_kits(session, list(dict.fromkeys(part.kit_key for part in firsts)))
    return [
        ShelfSong(
            song.id,
            song.name,
            song.tempo_bpm,
            song.changed_at,
            pattern_of(song, drawn[first.id]),
            kits[first.kit_key].name,
            len(parts[song.id]),
            *song_length(song, tuple(sections.get(song.id, ()))),
            steps.get(song.id, 0),
            others.get(song.id, ""),
        )
        for song, first in zip(songs, firsts, strict=True)
    ]


def _first_patterns(session: Reads, parts: list[int]) -> dict[int, PatternRow]:
    """By part; only the first pattern of each is read."""
    lowest = (
        select(func.min(PatternRow.id))
        .where(PatternRow.part_id.in_(parts), PatternRow.removed.is_(False))
        .group_by(PatternRow.part_id)
    )
    return {row.part_id: row for row in session.scalars(select(PatternRow).where(PatternRow.id.in_(lowest)))}


def is_empty(session: Session) -> bool:
    """Whether no song was ever made (deleted ones count: their owner emptied the shelf on purpose)."""
    return session.scalar(select(SongRow.id).limit(1)) is None


def delete_song(session: Session, song_id: int) -> SongRow:
    """Take it off the shelf into the bin; `restore_song` puts it back whole."""
    row = load_song(session, song_id).row
    row.deleted_at = _now()
    return row


def restore_song(session: Session, song_id: int) -> SongRow:
    session.execute(update(SongRow).where(SongRow.id == song_id).values(deleted_at=None))
    return load_song(session, song_id).row


def binned(session: Reads) -> list[BinnedSong]:
    """What is in the bin, the one deleted last first."""
    asked = (
        select(SongRow).where(SongRow.deleted_at.is_not(None)).order_by(SongRow.deleted_at.desc(), SongRow.id.desc())
    )
    days = timedelta(days=bin_days())
    return [BinnedSong(row.id, row.name, row.deleted_at + days) for row in session.scalars(asked) if row.deleted_at]


def empty_bin(session: Session, *, at_once: bool = False) -> int:
    """Take out for good, with all that belongs to them, the songs that waited long enough, or all; how many they were.

    The very last one stays: a database without any song is a new one, and gets the demo.
    """
    old = SongRow.deleted_at.is_not(None) if at_once else SongRow.deleted_at < kept_since()
    gone = list(session.scalars(select(SongRow.id).where(old).order_by(SongRow.deleted_at)))
    if len(gone) == session.scalar(select(func.count(SongRow.id))):
        gone = gone[:-1]
    session.execute(delete(SongRow).where(SongRow.id.in_(gone)))
    return len(gone)


def _now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)
