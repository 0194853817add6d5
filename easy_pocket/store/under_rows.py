"""The loops that play under a song, as they are kept."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.listen.under import Under, under_from_doc
from easy_pocket.core.template import GrooveTemplate
from easy_pocket.store.models import LoopRow, SectionRow, SongRow
from easy_pocket.store.sections import spans
from easy_pocket.store.templates import find_template


@dataclass(frozen=True)
class UnderLoop:
    """A loop under the song: its row, how it plays, and the groove it goes to."""

    row: LoopRow
    under: Under
    template_id: int | None = None
    template: GrooveTemplate | None = None
    section_id: int | None = None  # the section it plays in, wherever that is; None where its bars say


def under_docs(song: SongRow) -> list[dict[str, Any]]:
    return list(song.under or [])


def under_loops(session: Session, song: SongRow, sections: tuple[SectionRow, ...]) -> list[UnderLoop]:
    """In the order they were put there, those of a section over its bars as they are now. Loops that were removed are
    passed over until undo brings them back."""
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
            under, section_id = _in_section(under_from_doc(doc), doc.get("section_id"), sections)
            found.append(UnderLoop(rows[doc["loop_id"]], under, groove if template else None, template, section_id))
    return found


def _in_section(under: Under, section_id: int | None, sections: tuple[SectionRow, ...]) -> tuple[Under, int | None]:
    """Over the bars of its section; one that has none just now is silent, and one whose section is gone goes by its
    own bars."""
    if section_id is None or all(row.id != section_id for row in sections):
        return under, None
    if section_id not in spans(sections):
        return replace(under, muted=True), section_id
    first, last = spans(sections)[section_id]
    return replace(under, from_bar=first, to_bar=last), section_id


def copied_under(song: SongRow, loop_ids: dict[int, int], section_ids: dict[int, int]) -> list[dict[str, Any]]:
    """For a copy of a song whose loops and sections have other ids."""
    return [
        {**doc, "loop_id": loop_ids[doc["loop_id"]], "section_id": section_ids.get(doc.get("section_id") or 0)}
        for doc in under_docs(song)
        if doc["loop_id"] in loop_ids
    ]
