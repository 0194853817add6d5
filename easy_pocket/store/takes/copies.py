"""Takes of a song that is copied go along."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy.orm import Session

from easy_pocket.store.schema.tables import PassRow, TakeRow, row_values
from easy_pocket.store.takes.takes import passes_of, takes_of


def copy_takes(
    session: Session, song_id: int, copy_id: int, parts: Mapping[int, int], sections: Mapping[int, int]
) -> None:
    """Those of parts that are there; parts, sections: their new ids."""
    for take in reversed(takes_of(session, song_id)):
        if take.part_id not in parts:
            continue
        made = TakeRow(**{**row_values(take), "song_id": copy_id, "part_id": parts[take.part_id], "sews": []})
        section = sections.get(take.settings.get("section_id", 0), 0)
        made.settings = {name: value for name, value in take.settings.items() if name != "section_id"}
        if section:
            made.settings = {**made.settings, "section_id": section}
        session.add(made)
        session.flush()
        ids = {}
        for one in passes_of(session, take):
            row = PassRow(**{**row_values(one), "take_id": made.id})
            session.add(row)
            session.flush()
            ids[one.id] = row.id
        made.sews = [[bar, ids[key], voice] for bar, key, voice in take.sews if key in ids]
