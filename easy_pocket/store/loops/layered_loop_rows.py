"""The loops that play under a song, as they are kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.listen.layered_loop import LayerSettings, layer_settings_from_doc
from easy_pocket.store.grooves.templates import templates_by_id
from easy_pocket.store.schema.tables import LoopRow, SongRow


@dataclass(frozen=True)
class LayeredLoop:
    """A loop that plays under a pattern or the song: its audio by content, what was found in it and corrected (as
    stored), how it plays, and the groove it is set to."""

    id: int
    name: str
    audio_hash: str
    found: dict[str, object]
    corrections: dict[str, object]
    settings: LayerSettings
    template_id: int | None = None
    template: GrooveTemplate | None = None
    section_ids: tuple[int, ...] = ()  # sections it plays in, wherever they are; none where its bars say

    @property
    def section_id(self) -> int | None:
        return self.section_ids[0] if len(self.section_ids) == 1 else None


def layered_loop_docs_of(song: SongRow) -> list[dict[str, Any]]:
    return list(song.layered_loops or [])


def layered_loops(
    session: Session, song: SongRow, stretches: Mapping[int, tuple[int, int] | None]
) -> list[LayeredLoop]:
    """In the order they were put there, those of a section over its bars (first and last, by its id; None: it is not
    heard here). Loops that were removed are passed over until undo brings them back."""
    docs = layered_loop_docs_of(song)
    if not docs:
        return []
    named = [doc["loop_id"] for doc in docs]  # others may be long, and every edit comes by here
    asked = select(LoopRow).where(LoopRow.song_id == song.id, LoopRow.id.in_(named), LoopRow.removed.is_(False))
    rows = {row.id: row for row in session.scalars(asked)}
    found = []
    for doc in docs:
        if doc["loop_id"] in rows:
            groove = doc.get("template_id")
            template = templates_by_id(session, {groove}).get(groove) if groove else None
            ids = tuple(one for one in sections_of(doc) if one in stretches)
            settings = _in_sections(layer_settings_from_doc(doc), ids, stretches)
            row = rows[doc["loop_id"]]
            found.append(
                LayeredLoop(
                    row.id,
                    row.name,
                    row.audio_hash,
                    row.found,
                    row.overruled,
                    settings,
                    groove if template else None,
                    template,
                    ids,
                )
            )
    return found


def sections_of(doc: Mapping[str, Any]) -> list[int]:
    """Ids of the sections a loop plays in; none where its bars say."""
    one = doc.get("section_id")
    return list(doc.get("section_ids") or ([one] if one else []))


def _in_sections(
    settings: LayerSettings, ids: tuple[int, ...], stretches: Mapping[int, tuple[int, int] | None]
) -> LayerSettings:
    """Over the bars of its sections that are heard here, as far as they lie end to end; silent where none is. One whose
    sections are gone goes by its own bars."""
    if not ids:
        return settings
    heard = sorted({found for one in ids if (found := stretches[one]) is not None})
    if not heard:
        return replace(settings, muted=True)
    first, last = heard[0]
    for begin, end in heard[1:]:
        last = max(last, end) if begin <= last + 1 else last
    return replace(settings, from_bar=first, to_bar=last)


def moved_layer(doc: dict[str, Any], loop_ids: Mapping[int, int], section_ids: Mapping[int, int]) -> dict[str, object]:
    """One of them with other ids."""
    return {
        **{name: value for name, value in doc.items() if name != "section_id"},
        "loop_id": loop_ids[doc["loop_id"]],
        "section_ids": [section_ids[one] for one in sections_of(doc) if one in section_ids],
    }
