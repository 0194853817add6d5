"""A new song of a doc: its rows with numbers of their own."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from easy_pocket.core.formats.pocket_file import Doc
from easy_pocket.store.schema.tables import SongRow
from easy_pocket.store.songs.create import MAX_NAME, check_name
from easy_pocket.store.songs.moved_rows import OF, moved
from easy_pocket.store.songs.song_doc import AS_TEXT, HISTORY_KEEPS, NOT_KEPT, ROWS
from easy_pocket.store.songs.song_history import keep_steps, moved_steps, names_in, reserved_sections

PLAIN_TEXT: dict[str, Any] = {"separators": (",", ":")}
TEXT_OF: dict[str, dict[str, Any]] = {"ideas": {"sort_keys": True}}  # as they are compared, see ideas/log.py
# Fields that name rows which may come later: set when all are there.
LATER = {
    "parts": ("pattern_order", "feel", "voice_feel"), "sections": ("cells", "joins", "parent_id"),
    "takes": ("part_id", "settings", "sews"),
}  # fmt: skip


@dataclass(frozen=True)
class OnShelf:
    """What the doc names of the shelf: what each is called here, and which of them came with it."""

    kits: Mapping[Any, str]
    grooves: Mapping[Any, int]
    hands: Mapping[Any, int] = field(default_factory=dict)
    came: Mapping[str, set[Any]] = field(default_factory=lambda: {"kits": set(), "grooves": set(), "hands": set()})


def open_rows(session: Session, doc: Doc, name: str, on_shelf: OnShelf) -> SongRow:
    """Raises LookupError, TypeError, ValueError or what MariaDB raises for rows that are no song."""
    song = SongRow(**{**_known(SongRow, doc["song"]), "revision": 1, "layered_loops": None, "stage": None})
    song.name = check_name(name or str(doc["song"]["name"])[:MAX_NAME])
    song.collision_choices = None
    session.add(song)
    session.flush()
    steps = doc.get("history", [])
    ids: dict[str, dict[Any, Any]] = {
        "kits": dict(on_shelf.kits), "grooves": dict(on_shelf.grooves), "hands": dict(on_shelf.hands)
    }  # fmt: skip
    made: dict[str, list[Any]] = {}
    for table in ROWS:
        ids[table], made[table] = _made(session, table, doc[table], song.id, ids, keep_removed=bool(steps))
    gone = [one for one in names_in(steps)["sections"] if one not in ids["sections"]]
    ids["sections"] |= dict(zip(gone, reserved_sections(session, song.id, len(gone)), strict=True))
    after = moved({**{table: doc[table] for table in ("song", *ROWS)}}, ids)
    for field_name in ("layered_loops", "collision_choices", "stage", "feel"):
        setattr(song, field_name, after["song"][field_name])
    if steps:
        song.sections_before_flatten = after["song"].get("sections_before_flatten")
    for table, fields in LATER.items():
        for row, values in zip(made[table], after[table], strict=True):
            for one in fields:
                setattr(row, one, values[one])
    session.flush()
    if steps:
        keep_steps(session, song, moved_steps(steps, ids, song.id, on_shelf.came))
    return song


def _made(
    session: Session, table: str, docs: list[Doc], song_id: int, ids: Mapping[str, Mapping[Any, Any]], *,
    keep_removed: bool,
) -> tuple[dict[Any, int], list[Any]]:  # fmt: skip
    """The rows of a table, and the new number of each."""
    kind, rows = ROWS[table], []
    for values in docs:
        row = kind(**_known(kind, values))
        if table in AS_TEXT:
            kept = values[AS_TEXT[table]]
            setattr(row, AS_TEXT[table], json.dumps(kept, **TEXT_OF.get(table, PLAIN_TEXT)))
        if hasattr(kind, "song_id"):
            row.song_id = song_id
        if table in OF:
            name, other = OF[table]
            setattr(row, name, ids[other][values[name]])
        if keep_removed and values.get("removed"):
            row.removed = True
        session.add(row)
        session.flush()
        rows.append(row)
    return {values["id"]: row.id for values, row in zip(docs, rows, strict=True)}, rows


def _known(kind: Any, values: Doc) -> Doc:
    """What the table has columns for."""
    columns = {column.key for column in kind.__table__.columns} - {"id"} - NOT_KEPT - HISTORY_KEEPS
    return {key: value for key, value in values.items() if key in columns}
