"""The undo log. Every change is a list of patches that can be applied and taken back, made in one transaction.

A patch is {"table", "id"} and "exists": [before, after] for a row that comes or goes (null is none), or any of
"fields": {name: [before, after]}, "hits": {"minus": [...], "plus": [...]}, "voices": {role: [before, after]} with
"order": [before, after] for a kit. Kits and grooves belong to every song: a
voice or a groove that was changed since in another song is left as it is there, and the words of the step say so.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from easy_pocket.core.errors import PocketError
from easy_pocket.core.pattern import Pattern
from easy_pocket.core.voices import ROLES
from easy_pocket.store.hits import hits_from_json, hits_to_json, hits_to_rows, rows_to_hits
from easy_pocket.store.models import ChangeRow, KitRow, LoopRow, PartRow, PatternRow, SectionRow, SongRow, TemplateRow

Patch = dict[str, Any]
TABLES: dict[str, Any] = {
    "song": SongRow,
    "part": PartRow,
    "pattern": PatternRow,
    "section": SectionRow,
    "loop": LoopRow,
    "kit": KitRow,
    "template": TemplateRow,
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
    gone, come = before.differences(after)
    patch: Patch = {
        "table": "pattern",
        "id": pattern_id,
        "hits": {"minus": hits_to_rows(gone), "plus": hits_to_rows(come)},
    }
    if before.length_ticks != after.length_ticks:
        patch["fields"] = {"length_ticks": [before.length_ticks, after.length_ticks]}
    return patch


def voices_patch(row: KitRow, after: list[dict[str, Any]], **fields: Any) -> Patch:
    """A patch of the voices of a kit that differ, of their order, and of other fields of the kit."""
    was = {voice["role"]: voice for voice in row.voices}
    now = {voice["role"]: voice for voice in after}
    patch: Patch = {
        "table": "kit",
        "id": row.key,
        "voices": {role: [was.get(role), now.get(role)] for role in (was | now) if was.get(role) != now.get(role)},
    }
    if list(was) != list(now):
        patch["order"] = [list(was), list(now)]
    changed = {name: [getattr(row, name), value] for name, value in fields.items() if getattr(row, name) != value}
    return {**patch, "fields": changed} if changed else patch


def record(session: Session, song: SongRow, words: str, patches: list[Patch], gesture: str | None = None) -> None:
    """Apply patches and note them."""
    apply_patches(session, song, patches)
    note(session, song, words, patches, gesture)


def apply_patches(session: Session, song: SongRow, patches: Iterable[Patch]) -> None:
    for patch in patches:
        _apply(session, patch, song, forwards=True)


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
        for kind in ("fields", "voices"):
            if kind in same or kind in patch:
                same[kind] = _spanned(same.get(kind, {}), patch.get(kind, {}))
        if "order" in patch:
            before = same["order"][0] if "order" in same else patch["order"][0]
            same["order"] = [before, patch["order"][1]]
    return joined


def _spanned(earlier: dict[str, Any], later: dict[str, Any]) -> dict[str, Any]:
    """Of every name the first 'before' and the last 'after'."""
    spanned = dict(earlier)
    for name, (before, after) in later.items():
        spanned[name] = [spanned[name][0] if name in spanned else before, after]
    return spanned


def undo(session: Session, song: SongRow) -> str:
    """Take back the last step; returns its words. Raises NothingToUndoError at the beginning."""
    change = _last(session, song.id, undone=False)
    if change is None:
        raise NothingToUndoError("There is nothing to undo: this is the song as it was first made.")
    left = [_apply(session, patch, song, forwards=False) for patch in reversed(json.loads(change.patches))]
    change.undone = True
    _touch(song)
    return change.words + "".join(left)


def redo(session: Session, song: SongRow) -> str:
    """Apply the step that was taken back last; returns its words. Raises NothingToUndoError at the end."""
    change = _next_undone(session, song.id)
    if change is None:
        raise NothingToUndoError("There is nothing to redo: this is the newest state.")
    left = [_apply(session, patch, song, forwards=True) for patch in json.loads(change.patches)]
    change.undone = False
    _touch(song)
    return change.words + "".join(left)


MOST_LISTED = 400


def change_list(session: Session, song_id: int) -> list[dict[str, Any]]:
    """The steps of a song in words, the newest first; `undone` ones lie ahead."""
    found = select(ChangeRow.id, ChangeRow.words, ChangeRow.undone).where(ChangeRow.song_id == song_id)
    rows = session.execute(found.order_by(ChangeRow.id.desc()).limit(MOST_LISTED))
    return [{"id": row.id, "words": row.words, "undone": row.undone} for row in rows]


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


def _apply(session: Session, patch: Patch, song: SongRow, *, forwards: bool) -> str:
    """Returns words about what was left as it is, or nothing."""
    row = session.get(TABLES[patch["table"]], patch["id"])
    if "exists" in patch:
        _come_or_go(session, row, patch, forwards=forwards)
        return ""
    if row is None:
        raise PocketError("A part of the song this step is about is gone: reload the page.")
    if patch["table"] == "template":
        return _apply_to_groove(row, patch, forwards=forwards)
    for name, (before, after) in patch.get("fields", {}).items():
        setattr(row, name, after if forwards else before)
    if "hits" in patch:
        minus, plus = patch["hits"]["minus"], patch["hits"]["plus"]
        gone, come = (minus, plus) if forwards else (plus, minus)
        places = {(hit.voice, hit.tick): hit for hit in hits_from_json(row.hits)}
        for hit in rows_to_hits(gone):
            places.pop((hit.voice, hit.tick), None)
        places.update({(hit.voice, hit.tick): hit for hit in rows_to_hits(come)})
        row.hits = hits_to_json(places.values())
    return _apply_to_kit(session, row, patch, song, forwards=forwards) if patch["table"] == "kit" else ""


def _apply_to_groove(row: TemplateRow, patch: Patch, *, forwards: bool) -> str:
    fields = {name: values if forwards else values[::-1] for name, values in patch["fields"].items()}
    if any(getattr(row, name) != known for name, (known, _) in fields.items()):
        return f"; groove {row.name} stays as it is: another song changed it since"
    for name, (_, wanted) in fields.items():
        setattr(row, name, wanted)
    return ""


def _come_or_go(session: Session, row: Any, patch: Patch, *, forwards: bool) -> None:
    wanted = patch["exists"][1 if forwards else 0]
    if wanted is None and row is not None:
        session.delete(row)
    elif wanted is not None and row is None:
        session.add(TABLES[patch["table"]](id=patch["id"], **wanted))
    session.flush()


def _apply_to_kit(session: Session, row: KitRow, patch: Patch, song: SongRow, *, forwards: bool) -> str:
    """Exchange voices, each only while it is what this step knows; other songs that use the kit have changed too."""
    now = {voice["role"]: voice for voice in row.voices}
    left = []
    for role, (before, after) in patch.get("voices", {}).items():
        known, wanted = (before, after) if forwards else (after, before)
        if now.get(role) != known:
            left.append(ROLES[role].name.lower())
        elif wanted is None:
            now.pop(role, None)
        else:
            now[role] = wanted
    if "order" in patch:
        order = patch["order"][1 if forwards else 0]
        place = {role: number for number, role in enumerate(order)}
        now = {role: now[role] for role in sorted(now, key=lambda role: place.get(role, len(place)))}
    row.voices = list(now.values())
    row.edited = True
    session.flush()
    users = select(PartRow.song_id).where(PartRow.kit_key == row.key).scalar_subquery()
    session.execute(
        update(SongRow)
        .where(SongRow.id.in_(users), SongRow.id != song.id)
        .values(revision=SongRow.revision + 1)
        .execution_options(synchronize_session=False)
    )
    if not left:
        return ""
    return f"; {', '.join(left)} of {row.name} stays as it is: another song changed it since"
