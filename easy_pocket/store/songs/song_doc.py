"""A song as a doc: its rows numbered from 1, and what it names of the shelf."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.formats.pocket_file import Doc
from easy_pocket.store.loops.loops import loops_of
from easy_pocket.store.schema.tables import (
    ChangeRow,
    HandRow,
    IdeaRow,
    KitRow,
    LoopRow,
    PartRow,
    PassRow,
    PatternRow,
    SectionRow,
    SnapshotRow,
    SongRow,
    TakeRow,
    TemplateRow,
    row_values,
)
from easy_pocket.store.scope import get_of_everybody, of_everybody
from easy_pocket.store.songs.guide import guide_of
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.moved_rows import moved
from easy_pocket.store.songs.song_history import moved_steps, names_in, steps_of
from easy_pocket.store.takes.takes import passes_of, takes_of

ROWS: dict[str, Any] = {
    "parts": PartRow, "patterns": PatternRow, "snapshots": SnapshotRow, "sections": SectionRow, "loops": LoopRow,
    "takes": TakeRow, "passes": PassRow, "ideas": IdeaRow,
}  # fmt: skip
AS_TEXT = {"patterns": "hits", "snapshots": "hits", "passes": "hits", "ideas": "doc"}  # kept as text that is JSON
IDEA_STATES = ("pinned", "taken")  # those that were dropped stay where they are
NOT_KEPT = {"removed", "song_id", "revision", "sections_before_flatten"}
ONLY_WHERE_SET = {"key_map"}  # so that older files come back with the same bytes
HISTORY_KEEPS = {"removed", "sections_before_flatten"}  # what undo may need


def song_rows_of(session: Session, song_id: int) -> dict[str, list[Any]]:
    """Its rows by table, without those that were taken away."""
    song = load_song(session, song_id)
    takes = takes_of(session, song_id)[::-1]
    patterns = [pattern for part in song.parts for pattern in part.patterns]
    ids = [pattern.id for pattern in patterns]
    named = select(SnapshotRow).where(SnapshotRow.pattern_id.in_(ids), SnapshotRow.removed.is_(False))
    kept = IdeaRow.pattern_id.in_(ids), IdeaRow.song_id == song_id, IdeaRow.state.in_(IDEA_STATES)
    return {
        "parts": [part.row for part in song.parts],
        "patterns": patterns,
        "snapshots": list(session.scalars(named.order_by(SnapshotRow.id))),
        "sections": list(song.sections),
        "loops": loops_of(session, song_id),
        "takes": takes,
        "passes": [one for take in takes for one in passes_of(session, take)],
        "ideas": list(session.scalars(select(IdeaRow).where(*kept).order_by(IdeaRow.id))),
    }


def _with_taken_away(session: Session, song_id: int, rows: dict[str, list[Any]]) -> dict[str, list[Any]]:
    """And those that undo may bring back, after the others."""

    def more(table: str, where: Any) -> list[Any]:
        known = {row.id for row in rows[table]}
        kind = ROWS[table]
        return rows[table] + [row for row in session.scalars(select(kind).where(where).order_by(kind.id))
                              if row.id not in known]  # fmt: skip

    found = dict(rows)
    for table in ("parts", "loops", "takes"):
        found[table] = more(table, ROWS[table].song_id == song_id)
    found["patterns"] = more("patterns", PatternRow.part_id.in_([row.id for row in found["parts"]]))
    found["passes"] = more("passes", PassRow.take_id.in_([row.id for row in found["takes"]]))
    return found


def song_doc(session: Session, song_id: int, *, history: bool = False) -> Doc:
    """The song and what it names of the shelf, numbered from 1. history: with all its steps, and all they need."""
    steps = steps_of(session, song_id) if history else []
    doc = doc_here(session, song_id, steps)
    ids = {table: {row["id"]: number for number, row in enumerate(doc[table], 1)} for table in doc if table != "song"}
    for key in names_in(steps)["sections"]:
        ids["sections"].setdefault(key, len(ids["sections"]) + 1)
    return {**moved(doc, ids), "history": _numbered(moved_steps(steps, ids, 1))}


def doc_here(session: Session, song_id: int, steps: list[Doc]) -> Doc:
    """The same by the numbers of this shelf. steps: of its history, whose rows come along."""
    rows = song_rows_of(session, song_id)
    if steps:
        rows = _with_taken_away(session, song_id, rows)
    kept = HISTORY_KEEPS if steps else set()
    doc: Doc = {"song": _values(session.get_one(SongRow, song_id), kept)}
    doc |= {table: [_row_doc(table, row, kept) for row in rows[table]] for table in ROWS}
    kits = dict.fromkeys([*(part.kit_key for part in rows["parts"]), *names_in(steps)["kits"]])
    doc["kits"] = [_kit_doc(row) for key in kits if (row := get_of_everybody(session, KitRow, key)) is not None]
    grooves = sorted({key for key in found_values([doc, steps], "template_id") if key} | _of(steps, "template"))
    known = [(key, get_of_everybody(session, TemplateRow, key)) for key in grooves]
    doc["grooves"] = [{"id": key, "name": row.name, "doc": row.doc} for key, row in known if row is not None]
    doc["hands"] = [_hand_doc(row) for row in _hands(session, song_id)]
    return doc


def _numbered(steps: list[Doc]) -> list[Doc]:
    return [{**one, "id": number} for number, one in enumerate(steps, 1)]


def _of(steps: Iterable[Doc], table: str) -> set[Any]:
    return {patch["id"] for step in steps for patch in step["patches"] if patch["table"] == table}


def _values(row: Any, kept: set[str]) -> Doc:
    return {
        name: value
        for name, value in row_values(row).items()
        if (name not in NOT_KEPT or (name in kept and value)) and not (name in ONLY_WHERE_SET and value is None)
    }


def _row_doc(table: str, row: Any, kept: set[str]) -> Doc:
    values = {"id": row.id, **_values(row, kept)}
    if table in AS_TEXT:
        values[AS_TEXT[table]] = json.loads(values[AS_TEXT[table]])
    return values


def _kit_doc(row: KitRow) -> Doc:
    return {"id": row.key, "name": row.name, "voices": row.voices, "key_note": row.key_note}


def _hand_doc(row: HandRow) -> Doc:
    return {"id": row.id, "name": row.name, "doc": json.loads(row.doc)}


def _hands(session: Session, song_id: int) -> list[HandRow]:
    """Those of the user that were learned, brought in or renamed in this song."""
    asked = select(ChangeRow.patches).where(ChangeRow.song_id == song_id, ChangeRow.patches.like('%"table":%"hand"%'))
    named = {one["id"] for text in session.scalars(asked) for one in json.loads(text) if one["table"] == "hand"}
    mine = HandRow.id.in_(named), HandRow.removed.is_(False), HandRow.house.is_(None)
    return list(session.scalars(of_everybody(select(HandRow).where(*mine).order_by(HandRow.id))))


def recordings_of(doc: Doc) -> set[str]:
    """Content hashes of all audio the rows name, and the steps that led to them."""
    steps = doc.get("history", [])
    named = {row["audio_hash"] for row in doc["loops"]} | set(found_values([doc["kits"], steps], "audio"))
    in_steps = [
        side for step in steps for patch in step["patches"] for side in patch.get("fields", {}).get("guide", ())
    ]
    guides = [guide_of(one) for one in (doc["song"]["guide"], *in_steps)]
    return {one for one in (*named, *(guide.audio_hash for guide in guides if guide)) if one}


def found_values(value: Any, name: str) -> Iterator[Any]:
    """Every value under a name, however deep."""
    if isinstance(value, dict):
        for key, one in value.items():
            if key == name and not isinstance(one, (dict, list)):
                yield one
            else:
                yield from found_values(one, name)
    elif isinstance(value, list):
        for one in value:
            yield from found_values(one, name)
