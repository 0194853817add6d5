"""The undo log of a song in its file: steps whose patches name rows by the numbers of the file.

Steps that cannot be carried over end it there, so that what is left can be taken back one after another. Sounds of the
library stay where they are. A kit, a groove or a hand is taken back only where the file brought it; one that was on
the shelf before belongs to other songs as well.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from easy_pocket.core.formats.pocket_file import Doc
from easy_pocket.store.history.undo_log import TABLES, Patch, take_step, upcoming_steps
from easy_pocket.store.schema.tables import ChangeRow, SectionRow, SongRow
from easy_pocket.store.songs.moved_rows import Ids, moved_fields

MOST_STEPS = 10_000  # that go into a file, the newest ones
OF_SONG = {
    "song": "song", "part": "parts", "pattern": "patterns", "section": "sections", "loop": "loops", "take": "takes",
    "take_pass": "passes",
}  # fmt: skip
OF_SHELF = {"kit": "kits", "template": "grooves", "hand": "hands"}
DOCS = {**OF_SONG, **OF_SHELF}
NEVER_SET = {"id", "key", "song_id", "revision", "house"}


def steps_of(session: Session, song_id: int) -> list[Doc]:
    """Steps in order, as they are kept; patches of sounds left out."""
    asked = select(ChangeRow).where(ChangeRow.song_id == song_id).order_by(ChangeRow.id.desc()).limit(MOST_STEPS)
    found = []
    for row in session.scalars(asked):
        patches = [one for one in json.loads(row.patches) if one["table"] in DOCS]
        found.append({"words": row.words, "undone": row.undone, "patches": patches})
    return [{"id": number, **one} for number, one in enumerate(found[::-1], 1)]


def names_in(steps: Iterable[Doc]) -> dict[str, list[Any]]:
    """Rows the steps name, by table of the file, each once."""
    found: dict[str, dict[Any, None]] = {"sections": {}, "kits": {}, "hands": {}}
    for patch in _patches(steps):
        table = DOCS[patch["table"]]
        if table in found:
            found[table][patch["id"]] = None
        for side in patch.get("fields", {}).get("kit_key", ()):
            found["kits"][side] = None
        for text in patch.get("fields", {}).get("sections_before_flatten", ()):
            for one in json.loads(text)["sections"] if text else ():
                found["sections"][one["id"]] = None
    return {table: list(names) for table, names in found.items()}


def _patches(steps: Iterable[Doc]) -> Iterator[Patch]:
    for step in steps:
        yield from step["patches"]


def moved_steps(steps: list[Doc], ids: Ids, song: int, kept: Mapping[str, set[Any]] | None = None) -> list[Doc]:
    """Under other numbers. kept: kits, grooves and hands, under their new names, whose patches stay; None for all."""
    done = [one for one in steps if not one["undone"]]
    ahead = [one for one in steps if one["undone"]]
    back = list(_until_lost(done[::-1], ids, song, kept))[::-1]
    return [*back, *_until_lost(ahead, ids, song, kept)]


def _until_lost(steps: list[Doc], ids: Ids, song: int, kept: Mapping[str, set[Any]] | None) -> Iterator[Doc]:
    for step in steps:
        try:
            patches = [_moved_patch(one, ids, song) for one in step["patches"]]
        except KeyError:  # it names what is gone for good
            return
        if kept is not None:
            patches = [one for one in patches if one["table"] not in OF_SHELF or one["id"] in kept[DOCS[one["table"]]]]
        if patches:
            yield {**step, "patches": patches}


def _moved_patch(patch: Patch, ids: Ids, song: int) -> Patch:
    table = DOCS[patch["table"]]
    found: Patch = {**patch, "id": song if table == "song" else ids[table][patch["id"]]}
    if "fields" in patch:
        before, after = ({name: both[side] for name, both in patch["fields"].items()} for side in (0, 1))
        before, after = moved_fields(table, before, ids), moved_fields(table, after, ids)
        found["fields"] = {name: [before[name], after[name]] for name in patch["fields"]}
    if "exists" in patch:
        found["exists"] = [
            None if one is None else {**moved_fields(table, one, ids), "song_id": song} for one in patch["exists"]
        ]
    return found


def reserved_sections(session: Session, song_id: int, count: int) -> list[int]:
    """Numbers of sections that are not there now, so that no other row gets them."""
    rows = [
        SectionRow(song_id=song_id, position=0, name="", bars=1, repeats=1, cells={}, joins=[], own=[])
        for _ in range(count)
    ]
    session.add_all(rows)
    session.flush()
    numbers = [row.id for row in rows]
    for row in rows:
        session.delete(row)
    session.flush()
    return numbers


def keep_steps(session: Session, song: SongRow, steps: list[Doc]) -> None:
    """Raises ValueError, LookupError or TypeError for what is no step, or cannot be taken back and made again."""
    for step in steps:
        for patch in step["patches"]:
            _check_patch(patch)
        session.add(
            ChangeRow(
                song_id=song.id, words=str(step["words"])[:2000], gesture=None, undone=bool(step["undone"]),
                patches=json.dumps(step["patches"]),
            )
        )  # fmt: skip
        session.flush()
    trial = session.begin_nested()
    for direction in ("redo", "undo", "undo"):
        for _ in upcoming_steps(session, song.id, direction, len(steps)):
            take_step(session, song, direction)
            session.flush()
    trial.rollback()
    session.expire_all()


def _check_patch(patch: Patch) -> None:
    columns = {column.key for column in TABLES[patch["table"]].__table__.columns} - NEVER_SET
    if not set(patch.get("fields", {})) <= columns:
        raise ValueError("field")
    for one in patch.get("exists", ()):
        if patch["table"] != "section" or not (one is None or set(one) <= columns | {"song_id"}):
            raise ValueError("exists")
    if ("voices" in patch and patch["table"] != "kit") or ("hits" in patch and patch["table"] != "pattern"):
        raise ValueError("patch")


def shorten(session: Session, song_id: int, keep: int) -> int:
    """Forget all steps but the newest `keep` and those that were taken back: how many are forgotten for good."""
    done = ChangeRow.song_id == song_id, ChangeRow.undone.is_(False)
    asked = select(ChangeRow.id).where(*done).order_by(ChangeRow.id.desc()).offset(keep).limit(1)
    newest = session.scalar(asked)
    if newest is None:
        return 0
    gone = session.query(ChangeRow).filter(*done, ChangeRow.id <= newest).count()
    session.execute(delete(ChangeRow).where(*done, ChangeRow.id <= newest))
    return gone
