"""The undo log. Every change is a list of patches that can be applied and taken back, made in one transaction.

A patch is {"table", "id"} and either "fields": {name: [before, after]} or "hits": {"minus": [...], "plus": [...]}.
"""

from __future__ import annotations

import json
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import PocketError
from easy_pocket.core.pattern import Hit, Pattern
from easy_pocket.store.hits import hits_from_json, hits_to_json, hits_to_rows, rows_to_hits
from easy_pocket.store.models import ChangeRow, LoopRow, PartRow, PatternRow, SectionRow, SongRow

Patch = dict[str, Any]
TABLES: dict[str, Any] = {
    "song": SongRow,
    "part": PartRow,
    "pattern": PatternRow,
    "section": SectionRow,
    "loop": LoopRow,
}
GESTURE_WINDOW_S = 20.0  # a drag that rests longer than this starts a new step


class StaleRevisionError(Exception):
    """The song has changed since the sender saw it; nothing was written."""

    def __init__(self, found: int, sent: int) -> None:
        super().__init__(f"the song is at revision {found}, the edit was made on {sent}")
        self.found, self.sent = found, sent


class NothingToUndoError(PocketError):
    """The end of the undo log, in either direction."""


class MissingSongError(PocketError):
    """A song that is not on the shelf."""


def lock_song(session: Session, song_id: int, revision: int | None = None) -> SongRow:
    """The song's row, held until the transaction ends, so that changes come one after another.

    Raises MissingSongError, or StaleRevisionError when `revision` is not the song's.
    """
    song = session.scalar(select(SongRow).where(SongRow.id == song_id, SongRow.deleted_at.is_(None)).with_for_update())
    if song is None:
        raise MissingSongError(
            "This song is not on the shelf any more: go back to the Shelf, where it can be put back."
        )
    if revision is not None and revision != song.revision:
        raise StaleRevisionError(song.revision, revision)
    return song


def field_patch(table: str, row: Any, **after: Any) -> Patch:
    """A patch of the fields that differ."""
    fields = {name: [getattr(row, name), value] for name, value in after.items() if getattr(row, name) != value}
    return {"table": table, "id": row.id, "fields": fields}


def hits_patch(pattern_id: int, before: Pattern, after: Pattern) -> Patch:
    """A patch of the hits that differ, and of the length if it does."""
    was, now = set(before.hits), set(after.hits)
    patch: Patch = {
        "table": "pattern",
        "id": pattern_id,
        "hits": {"minus": hits_to_rows(was - now), "plus": hits_to_rows(now - was)},
    }
    if before.length_ticks != after.length_ticks:
        patch["fields"] = {"length_ticks": [before.length_ticks, after.length_ticks]}
    return patch


def record(session: Session, song: SongRow, words: str, patches: list[Patch], gesture: str | None = None) -> None:
    """Apply patches and note them."""
    for patch in patches:
        _apply(session, patch, forwards=True)
    note(session, song, words, patches, gesture)


def note(session: Session, song: SongRow, words: str, patches: list[Patch], gesture: str | None = None) -> None:
    """Note patches that are applied already. Steps undone before are dropped: the song now goes another way.

    Changes of one gesture (a slider being dragged) become one step.
    """
    session.execute(delete(ChangeRow).where(ChangeRow.song_id == song.id, ChangeRow.undone.is_(True)))
    last = _last(session, song.id, undone=False) if gesture else None
    if last is not None and last.gesture == gesture and _age_s(last) < GESTURE_WINDOW_S:
        last.patches = json.dumps(_joined(json.loads(last.patches), patches))
        last.words = words
    else:
        row = ChangeRow(song_id=song.id, words=words, gesture=gesture, patches=json.dumps(patches), undone=False)
        session.add(row)
    _touch(song)


def _joined(earlier: list[Patch], later: list[Patch]) -> list[Patch]:
    """Two steps as one: of a field set twice only the first 'before' and the last 'after' count."""
    joined = [dict(patch) for patch in earlier]
    for patch in later:
        same = next((p for p in joined if (p["table"], p["id"]) == (patch["table"], patch["id"])), None)
        if same is None or "hits" in patch or "hits" in same:
            joined.append(patch)
            continue
        fields = dict(same.get("fields", {}))
        for name, (before, after) in patch.get("fields", {}).items():
            fields[name] = [fields[name][0] if name in fields else before, after]
        same["fields"] = fields
    return joined


def undo(session: Session, song: SongRow) -> str:
    """Take back the last step; returns its words. Raises NothingToUndoError at the beginning."""
    change = _last(session, song.id, undone=False)
    if change is None:
        raise NothingToUndoError("There is nothing to undo: this is the song as it was first made.")
    for patch in reversed(json.loads(change.patches)):
        _apply(session, patch, forwards=False)
    change.undone = True
    _touch(song)
    return change.words


def redo(session: Session, song: SongRow) -> str:
    """Apply the step that was taken back last; returns its words. Raises NothingToUndoError at the end."""
    change = _next_undone(session, song.id)
    if change is None:
        raise NothingToUndoError("There is nothing to redo: this is the newest state.")
    for patch in json.loads(change.patches):
        _apply(session, patch, forwards=True)
    change.undone = False
    _touch(song)
    return change.words


def undo_words(session: Session, song_id: int) -> tuple[str | None, str | None]:
    """What undo and redo would do, in words; None where there is nothing."""
    last = _last(session, song_id, undone=False)
    following = _next_undone(session, song_id)
    return (last.words if last else None), (following.words if following else None)


def _next_undone(session: Session, song_id: int) -> ChangeRow | None:
    return session.scalar(
        select(ChangeRow)
        .where(ChangeRow.song_id == song_id, ChangeRow.undone.is_(True))
        .order_by(ChangeRow.id)
        .limit(1)
    )


def _last(session: Session, song_id: int, *, undone: bool) -> ChangeRow | None:
    return session.scalar(
        select(ChangeRow)
        .where(ChangeRow.song_id == song_id, ChangeRow.undone.is_(undone))
        .order_by(ChangeRow.id.desc())
        .limit(1)
    )


def _age_s(change: ChangeRow) -> float:
    return (datetime.now(UTC).replace(tzinfo=None) - change.made_at).total_seconds()


def _touch(song: SongRow) -> None:
    song.revision += 1
    song.changed_at = datetime.now(UTC).replace(tzinfo=None)


def _apply(session: Session, patch: Patch, *, forwards: bool) -> None:
    row = session.get(TABLES[patch["table"]], patch["id"])
    if row is None:
        raise PocketError("A part of the song this step is about is gone: reload the page.")
    for name, (before, after) in patch.get("fields", {}).items():
        setattr(row, name, after if forwards else before)
    if "hits" in patch:
        minus, plus = patch["hits"]["minus"], patch["hits"]["plus"]
        gone, come = (minus, plus) if forwards else (plus, minus)
        hits: set[Hit] = set(hits_from_json(row.hits)) - set(rows_to_hits(gone))
        row.hits = hits_to_json(hits | set(rows_to_hits(come)))
