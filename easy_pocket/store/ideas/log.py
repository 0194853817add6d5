"""Ideas of a song: what they are made for, and the log of those pinned, taken and dropped."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import replace
from typing import Any, TypedDict

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, PocketError, require_range
from easy_pocket.core.feel.feel import DEFAULTS, first_set
from easy_pocket.core.ideas.change import Change, with_changes
from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.pattern.timebase import MAX_BARS
from easy_pocket.store.database import Reads
from easy_pocket.store.hits_json import hits_to_rows, rows_to_hits
from easy_pocket.store.schema.tables import IdeaRow
from easy_pocket.store.songs.loaded import LoadedSong

MOST_LOGGED = 400  # of a song; the oldest dropped ones go first
PASSED = ("dropped", "passed")  # states of ideas that are not wanted now
MOST_PINNED = 200  # of a song; pinned ones never go by themselves


def idea_context_of(song: LoadedSong) -> IdeaContext:
    """What the song's ideas are made for: every voice of its kit may be used."""
    chain = (song.feel.part, song.feel.stack, DEFAULTS)
    swing, unit = first_set(chain, "swing_percent"), first_set(chain, "swing_unit")
    return IdeaContext(song.pattern, song.kit.roles, song.tempo_bpm, float(swing), int(unit))


class StoredChange(TypedDict):
    """Hits that go and come, as rows (hits_json.py)."""

    kind: str
    gone: list[Any]
    come: list[Any]
    words: str


def change_to_doc(change: Change) -> StoredChange:
    return {
        "kind": change.kind,
        "gone": hits_to_rows(change.gone),
        "come": hits_to_rows(change.come),
        "words": change.words,
    }


def change_from_doc(doc: StoredChange) -> Change:
    return Change(doc["kind"], tuple(rows_to_hits(doc["gone"])), tuple(rows_to_hits(doc["come"])), doc["words"])


def with_idea(song: LoadedSong, changes: Sequence[Change], length_ticks: int) -> LoadedSong:
    """The song with these changes, without storing them."""
    require_range("The length", length_ticks, 10, MAX_BARS * 3840, "ticks")
    return replace(song, pattern=with_changes(song.pattern, changes, length_ticks))


def log_idea(session: Session, song: LoadedSong, kind: str, state: str, doc: dict[str, object]) -> IdeaRow:
    """Remember an idea, or give one that is remembered another state. What is pinned stays so when it is taken."""
    text = json.dumps(doc, sort_keys=True)
    same = select(IdeaRow).where(IdeaRow.song_id == song.id, IdeaRow.kind == kind, IdeaRow.doc == text)
    if state == "taken":
        same = same.where(IdeaRow.state != "pinned")
    row = session.scalar(same.limit(1))
    if state == "pinned" and (row is None or row.state != "pinned"):
        _refuse_more_pins(session, song)
    if row is None:
        row = IdeaRow(song_id=song.id, pattern_id=song.pattern_id, kind=kind, state=state, doc=text)
        session.add(row)
    row.state = state
    session.flush()
    return row


def _refuse_more_pins(session: Session, song: LoadedSong) -> None:
    pinned = select(func.count(IdeaRow.id)).where(IdeaRow.song_id == song.id, IdeaRow.state == "pinned")
    if (session.scalar(pinned) or 0) >= MOST_PINNED:
        raise BadValueError(f"{MOST_PINNED} ideas of this song are pinned, the most there can be: unpin some first.")


def forget_old_ideas(session: Session, song: LoadedSong) -> None:
    """Only so many are remembered: the oldest dropped ones go first, then the oldest taken ones."""
    mine = IdeaRow.song_id == song.id
    over = (session.scalar(select(func.count(IdeaRow.id)).where(mine)) or 0) - MOST_LOGGED
    for state in ("passed", "dropped", "taken"):
        if over > 0:
            old = session.scalars(
                select(IdeaRow.id).where(mine, IdeaRow.state == state).order_by(IdeaRow.id).limit(over)
            ).all()
            session.execute(delete(IdeaRow).where(IdeaRow.id.in_(old)))
            over -= len(old)


def logged_ideas(session: Reads, song: LoadedSong, state: str | None = None) -> list[IdeaRow]:
    """Of the song, the newest first; pinned ones only of the pattern they were pinned to."""
    found = select(IdeaRow).where(IdeaRow.song_id == song.id).order_by(IdeaRow.id.desc())
    if state is not None:
        found = found.where(IdeaRow.state.in_(PASSED if state in PASSED else (state,)))
    if state == "pinned":
        found = found.where(IdeaRow.pattern_id == song.pattern_id)
    return list(session.scalars(found.limit(MOST_LOGGED)))


def set_idea_state(session: Session, song: LoadedSong, idea_id: int, state: str) -> None:
    """Raises PocketError when the song has none of that number."""
    row = session.get(IdeaRow, idea_id)
    if row is None or row.song_id != song.id:
        raise PocketError("This idea is not in the log any more: look at the list as it is now.")
    if state == "pinned" and row.state != "pinned":
        _refuse_more_pins(session, song)
    row.state = state
