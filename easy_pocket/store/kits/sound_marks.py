"""What somebody notes of a sound that belongs to everybody: a star, and when they used it last."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.store.database import Reads, viewer_of
from easy_pocket.store.schema.people_tables import SoundMarkRow
from easy_pocket.store.viewer import person_of


def mark_sound(session: Session, sound_id: int, **noted: Any) -> None:
    key = {"person_id": person_of(viewer_of(session)), "sound_id": sound_id}
    row = session.get(SoundMarkRow, key)
    if row is None:
        row = SoundMarkRow(**key)
        session.add(row)
    for name, value in noted.items():
        setattr(row, name, value)


def sound_marks(reads: Reads) -> dict[int, SoundMarkRow]:
    """Those of who looks, by sound."""
    asked = select(SoundMarkRow).where(SoundMarkRow.person_id == person_of(viewer_of(reads)))
    return {row.sound_id: row for row in reads.scalars(asked)}
