"""The loops that play under a song, as they are kept."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.listen.under import Under, under_from_doc
from easy_pocket.core.template import GrooveTemplate
from easy_pocket.store.models import LoopRow, SongRow
from easy_pocket.store.templates import find_template


@dataclass(frozen=True)
class UnderLoop:
    """A loop under the song: its row, how it plays, and the groove it goes to."""

    row: LoopRow
    under: Under
    template_id: int | None = None
    template: GrooveTemplate | None = None


def under_docs(song: SongRow) -> list[dict[str, Any]]:
    return list(song.under or [])


def under_loops(session: Session, song: SongRow) -> list[UnderLoop]:
    """In the order they were put there. Loops that were removed are passed over until undo brings them back."""
    docs = under_docs(song)
    if not docs:
        return []
    asked = select(LoopRow).where(LoopRow.song_id == song.id, LoopRow.removed.is_(False))
    rows = {row.id: row for row in session.scalars(asked)}
    found = []
    for doc in docs:
        if doc["loop_id"] in rows:
            groove = doc.get("template_id")
            template = find_template(session, groove) if groove else None
            found.append(UnderLoop(rows[doc["loop_id"]], under_from_doc(doc), groove if template else None, template))
    return found


def copied_under(song: SongRow, loop_ids: dict[int, int]) -> list[dict[str, Any]]:
    """For a copy of a song whose loops have other ids."""
    return [{**doc, "loop_id": loop_ids[doc["loop_id"]]} for doc in under_docs(song) if doc["loop_id"] in loop_ids]
