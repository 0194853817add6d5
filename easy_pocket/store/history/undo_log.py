"""The undo log. Every change is a list of patches that can be applied and taken back, made in one transaction.

A patch is {"table", "id"} and "exists": [before, after] for a row that comes or goes (null is none), or any of
"fields": {name: [before, after]}, "hits": {"minus": [...], "plus": [...]}, "voices": {role: [before, after]} with
"order": [before, after] for a kit. Kits and grooves belong to every song: a
voice or a groove that was changed since in another song is left as it is there, and the words of the step say so.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any

import orjson
from sqlalchemy import ColumnElement, delete, false, func, select, true
from sqlalchemy.orm import Session

from easy_pocket.core.errors import PocketError
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.store.database import Reads, viewer_of
from easy_pocket.store.history.others_steps import merged, refuse_where_others_went_on
from easy_pocket.store.hits_json import hits_from_json, hits_to_json, hits_to_rows, rows_to_hits
from easy_pocket.store.json_text import to_json
from easy_pocket.store.schema.people_tables import PersonRow
from easy_pocket.store.schema.tables import (
    ChangeRow,
    HandRow,
    KitRow,
    LoopRow,
    PartRow,
    PassRow,
    PatternRow,
    SectionRow,
    SongRow,
    SoundRow,
    TakeRow,
    TemplateRow,
)
from easy_pocket.store.scope import get_of_everybody, of_everybody
from easy_pocket.store.viewer import person_of

Patch = dict[str, Any]
TABLES: dict[str, Any] = {
    "song": SongRow,
    "part": PartRow,
    "pattern": PatternRow,
    "section": SectionRow,
    "loop": LoopRow,
    "kit": KitRow,
    "template": TemplateRow,
    "sound": SoundRow,
    "hand": HandRow,
    "take": TakeRow,
    "take_pass": PassRow,
}
GESTURE_WINDOW_S = 20.0  # a drag that rests longer than this starts a new step


class StaleRevisionError(Exception):
    """What an edit touches was changed since its sender saw it; nothing was written. theirs: words of what was changed
    meanwhile; mine: what was wanted."""

    def __init__(self, theirs: list[str], mine: str = "") -> None:
        super().__init__("what the edit touches was changed meanwhile")
        self.theirs, self.mine = theirs, mine


class NothingToUndoError(PocketError):
    """The end of the undo log, in either direction."""


class MissingSongError(PocketError):
    """A song that is not on the shelf."""


def lock_songs(session: Session, song_ids: Iterable[int]) -> None:
    """Hold the rows of songs until the transaction ends, so that changes come one after another; always in the order
    of their ids, so that two edits of songs that share a kit never wait for each other."""
    ordered = sorted(set(song_ids))
    asked = select(SongRow.id).where(SongRow.id.in_(ordered)).order_by(SongRow.id)
    session.execute(of_everybody(asked.with_for_update())).all()


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


def voices_patch(row: KitRow, after: list[dict[str, object]], **fields: Any) -> Patch:
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


def apply_patches(session: Session, patches: Iterable[Patch]) -> None:
    for patch in patches:
        _apply(session, patch, forwards=True)


def note(
    session: Session, song: SongRow, words: str, patches: list[Patch], gesture: str | None = None
) -> ChangeRow | None:
    """Note patches that are applied already. Steps undone before are dropped: the song now goes another way.

    Changes of one gesture (a slider being dragged) become one step. Gives the step, None where it joined another.
    """
    person = person_of(viewer_of(session))
    undone = ChangeRow.song_id == song.id, ChangeRow.undone == true(), *_own(session)  # IS TRUE would use no index
    session.execute(delete(ChangeRow).where(*undone))
    last = _last(session, song.id, undone=False) if gesture else None
    if last is not None and last.gesture == gesture and 0 <= _age_s(last) + 1 < GESTURE_WINDOW_S:
        joined = _joined(orjson.loads(last.patches), patches)
        if any(map(_changes_something, joined)):
            last.patches, last.words = to_json(joined), words
        else:  # a drag that was let go where it began, or given up: there is nothing to undo
            session.delete(last)
    else:
        last = ChangeRow(
            song_id=song.id, words=words, gesture=gesture, patches=to_json(patches), undone=False,
            person_id=person,
        )  # fmt: skip
        session.add(last)
        _touch(song)
        return last
    _touch(song)
    return None


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


def _changes_something(patch: Patch) -> bool:
    if "exists" in patch or "hits" in patch:
        return True
    pairs = [*patch.get("fields", {}).values(), *patch.get("voices", {}).values(), patch.get("order", [0, 0])]
    return any(before != after for before, after in pairs)


def _spanned(earlier: dict[str, Any], later: dict[str, Any]) -> dict[str, Any]:
    """Of every name the first 'before' and the last 'after'."""
    spanned = dict(earlier)
    for name, (before, after) in later.items():
        spanned[name] = [spanned[name][0] if name in spanned else before, after]
    return spanned


DIRECTIONS = ("undo", "redo")
ENDS = {
    "undo": "There is nothing to undo: this is the song as it was first made.",
    "redo": "There is nothing to redo: this is the newest state.",
}


def take_step(session: Session, song: SongRow, direction: str) -> tuple[str, list[Patch]]:
    """Take back the last step ("undo"), or make the one taken back last again ("redo"): its words, and the patches that
    were applied. Raises NothingToUndoError at either end of the log."""
    upcoming = upcoming_steps(session, song.id, direction, 1)
    if not upcoming:
        raise NothingToUndoError(ENDS[direction])
    change, forwards = upcoming[0], direction == "redo"
    patches = orjson.loads(change.patches)
    refuse_where_others_went_on(session, change, patches)
    ordered = patches if forwards else patches[::-1]
    left = [_apply(session, patch, forwards=forwards) for patch in ordered]
    change.undone = not forwards
    _touch(song)
    session.flush()
    return change.words + "".join(left), patches


def upcoming_steps(session: Session, song_id: int, direction: str, count: int) -> list[ChangeRow]:
    """Those that would be taken next in this direction, in order: of who asks, where several write in a song."""
    undone = direction == "redo"
    order = ChangeRow.id if undone else ChangeRow.id.desc()
    found = select(ChangeRow).where(ChangeRow.song_id == song_id, ChangeRow.undone == undone, *_own(session))
    return list(session.scalars(found.order_by(order).limit(count)))


def _own(reads: Reads) -> list[ColumnElement[bool]]:
    """Steps are taken back by those who made them."""
    viewer = viewer_of(reads)
    return [] if viewer is None else [ChangeRow.person_id == viewer.person]


MOST_LISTED = 400


def change_list(session: Reads, song_id: int) -> list[dict[str, object]]:
    """The steps of a song in words, the newest first; `undone` ones lie ahead. who: whose it was, of somebody else."""
    viewer = viewer_of(session)
    found = select(ChangeRow.id, ChangeRow.words, ChangeRow.undone, ChangeRow.person_id, PersonRow.name)
    found = found.outerjoin(PersonRow, PersonRow.id == ChangeRow.person_id).where(ChangeRow.song_id == song_id)
    rows = session.execute(found.order_by(ChangeRow.id.desc()).limit(MOST_LISTED))
    listed: list[dict[str, object]] = []
    for row in rows:
        others = viewer is not None and row.person_id != viewer.person
        who = (row.name or "somebody who left") if others else ""
        listed.append({"id": row.id, "words": row.words, "undone": row.undone, "who": who})
    return listed


def undo_words(session: Reads, song_id: int) -> tuple[str | None, str | None]:
    """What undo and redo would do for who asks, in words; None where there is nothing."""
    mine = select(ChangeRow.words).where(ChangeRow.song_id == song_id, *_own(session))
    last = session.scalar(mine.where(ChangeRow.undone == false()).order_by(ChangeRow.id.desc()).limit(1))
    following = session.scalar(mine.where(ChangeRow.undone == true()).order_by(ChangeRow.id).limit(1))
    return last, following


def _last(session: Session, song_id: int, *, undone: bool) -> ChangeRow | None:
    return session.scalar(
        select(ChangeRow)
        .where(ChangeRow.song_id == song_id, ChangeRow.undone == undone)
        .order_by(ChangeRow.id.desc())
        .limit(1)
    )


def _age_s(change: ChangeRow) -> float:
    return (datetime.now(UTC).replace(tzinfo=None) - change.made_at).total_seconds()


def _touch(song: SongRow) -> None:
    """A clock that was set back does not make the song older than it was."""
    song.revision += 1
    song.changed_at = max(datetime.now(UTC).replace(tzinfo=None), song.changed_at or datetime.min)


def _apply(session: Session, patch: Patch, *, forwards: bool) -> str:
    """Returns words about what was left as it is, or nothing."""
    row = get_of_everybody(session, TABLES[patch["table"]], patch["id"])
    if "exists" in patch:
        _come_or_go(session, row, patch, forwards=forwards)
        return ""
    if row is None:
        raise PocketError("A part of the song this step is about is gone: reload the page.")
    if patch["table"] == "template":
        return _apply_to_groove(row, patch, forwards=forwards)
    for name, (before, after) in patch.get("fields", {}).items():
        known, wanted = (before, after) if forwards else (after, before)
        setattr(row, name, merged(getattr(row, name), known, wanted))
    if patch["table"] == "sound":  # the library reads what has a newer version
        row.version = (session.scalar(select(func.max(SoundRow.version))) or 0) + 1
    if "hits" in patch:
        minus, plus = patch["hits"]["minus"], patch["hits"]["plus"]
        gone, come = (minus, plus) if forwards else (plus, minus)
        places = {(hit.voice, hit.tick): hit for hit in hits_from_json(row.hits)}
        for hit in rows_to_hits(gone):
            places.pop((hit.voice, hit.tick), None)
        places.update({(hit.voice, hit.tick): hit for hit in rows_to_hits(come)})
        row.hits = hits_to_json(places.values())
    return _apply_to_kit(session, row, patch, forwards=forwards) if patch["table"] == "kit" else ""


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


def _apply_to_kit(session: Session, row: KitRow, patch: Patch, *, forwards: bool) -> str:
    """Exchange voices, each only while it is what this step knows."""
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
    if not left:
        return ""
    return f"; {', '.join(left)} of {row.name} stays as it is: another song changed it since"
