"""Audio that nothing refers to any more, and how large what is kept is."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import Column, Text, cast, delete, select, text
from sqlalchemy.orm import Session

from easy_pocket.store.database import Database, Reads
from easy_pocket.store.schema.tables import AudioRow, Base, LoopRow

HASH = re.compile(r"(?<![0-9a-f])[0-9a-f]{64}(?![0-9a-f])")
ROWS_AT_ONCE = 200
HISTORY = ("change_log", "edit_log")


@dataclass(frozen=True)
class Sizes:
    """Bytes by what they are for, as the database counts them: songs with their kits and grooves, audio, history."""

    songs: int
    audio: int
    history: int

    @property
    def all(self) -> int:
        return self.songs + self.audio + self.history


def sizes(reader: Reads) -> Sizes:
    asked = (
        "SELECT table_name, data_length + index_length FROM information_schema.tables WHERE table_schema = DATABASE()"
    )
    rows = reader.execute(text(asked)).all()
    by_table = {str(name): int(size or 0) for name, size in rows}
    history = sum(by_table.pop(name, 0) for name in HISTORY)
    audio = by_table.pop("audio", 0)
    return Sizes(sum(by_table.values()), audio, history)


def audio_keys(reader: Reads) -> set[str]:
    return set(reader.scalars(select(AudioRow.hash)).all())


def named_audio(session: Session) -> set[str]:
    """Every content key that is written anywhere but with the audio itself: in songs, kits, loops, takes, history."""
    found: set[str] = set()
    for table in Base.metadata.sorted_tables:
        columns = [column for column in table.columns if _may_name(column)]
        if table.name == AudioRow.__tablename__ or not columns:
            continue
        # As the text it is kept as: JSON is not taken apart.
        whole = select(*(cast(column, Text) for column in columns))
        for row in session.execute(whole.execution_options(yield_per=ROWS_AT_ONCE)):
            for value in row:
                found.update(HASH.findall(value or ""))
    return found


def _may_name(column: Column[object]) -> bool:
    kind = type(column.type).__name__.upper()
    return "TEXT" in kind or kind == "JSON" or (kind == "STRING" and (getattr(column.type, "length", 0) or 0) >= 64)


def clean_audio(database: Database, candidates: Collection[str]) -> int:
    """Take out those of the candidates that nothing refers to; how many they were.

    They are held first: who brings the same audio in at this moment waits, and then finds it gone and keeps it anew.
    """
    if not candidates:
        return 0
    with database.transaction() as session:
        held = set(session.scalars(select(AudioRow.hash).where(AudioRow.hash.in_(candidates)).with_for_update()))
        unused = held - named_audio(session)
        session.execute(delete(AudioRow).where(AudioRow.hash.in_(unused)))
    return len(unused)


def unused_audio(database: Database) -> set[str]:
    """Keys of audio that nothing refers to now; what is just being brought in may be among them."""
    with database.reader.together() as session:
        keys = audio_keys(session)
        return keys - named_audio(session) - set(session.scalars(select(LoopRow.audio_hash))) if keys else set()
