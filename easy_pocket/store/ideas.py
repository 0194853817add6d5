"""Ideas of a song: what they are made for, putting one in, and the log of those pinned, taken and dropped."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError, PocketError, require_range
from easy_pocket.core.feel import DEFAULTS, first_set
from easy_pocket.core.ideas.change import Change, with_changes
from easy_pocket.core.ideas.scene import Scene
from easy_pocket.core.locks import keep_locks
from easy_pocket.core.pattern import Pattern
from easy_pocket.core.timebase import MAX_BARS
from easy_pocket.core.voices import ROLES, check_voice, voice_name
from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.hits import hits_to_rows, rows_to_hits
from easy_pocket.store.keep import begin, keep_pattern
from easy_pocket.store.models import IdeaRow
from easy_pocket.store.sections import put_before
from easy_pocket.store.songs import LoadedSong, load_song

MOST_LOGGED = 400  # of a song; the oldest dropped ones go first
MOST_STEPS = 64  # changes that are put in one by one


def scene_of(song: LoadedSong) -> Scene:
    """What the song's ideas are made for: every voice of its kit may be used."""
    chain = (song.feel.part, song.feel.stack, DEFAULTS)
    swing, unit = first_set(chain, "swing_percent"), first_set(chain, "swing_unit")
    return Scene(song.pattern, song.kit.roles, song.tempo_bpm, float(swing), int(unit))


def change_to_doc(change: Change) -> dict[str, Any]:
    return {
        "kind": change.kind,
        "gone": hits_to_rows(change.gone),
        "come": hits_to_rows(change.come),
        "words": change.words,
    }


def change_from_doc(doc: dict[str, Any]) -> Change:
    return Change(doc["kind"], tuple(rows_to_hits(doc["gone"])), tuple(rows_to_hits(doc["come"])), doc["words"])


@dataclass(frozen=True)
class PutIdea:
    """An idea, or what is kept of it, to be put into the pattern. stages: names and bars of the sections before the one
    there is (a build-up). one_by_one: every change is a step of its own to undo."""

    kind: str
    words: str
    changes: tuple[Change, ...]
    length_ticks: int
    stages: tuple[tuple[str, int], ...] = ()
    one_by_one: bool = False


def with_idea(song: LoadedSong, changes: Sequence[Change], length_ticks: int) -> LoadedSong:
    """The song as it would be; nothing is kept."""
    require_range("The length", length_ticks, 10, MAX_BARS * 3840, "ticks")
    return replace(song, pattern=with_changes(song.pattern, changes, length_ticks), performances={}, just_changed=None)


def put_idea(session: Session, song_id: int, revision: int, idea: PutIdea) -> LoadedSong:
    """Raises StaleRevisionError, EditRefusedError (what is locked, voices the kit has not) or BadValueError."""
    loaded = begin(session, song_id, revision)
    if not idea.changes:
        raise EditRefusedError("None of the changes is kept, so there is nothing to put in: keep one at least.")
    steps = [idea.changes]
    if idea.one_by_one:
        if len(idea.changes) > MOST_STEPS:
            raise EditRefusedError(
                f"This idea has {len(idea.changes)} changes; at most {MOST_STEPS} can be steps of their own: put it in "
                "as one step, or keep fewer."
            )
        steps = [(change,) for change in idea.changes]
    patches = _rails_for(loaded, idea.changes)
    if idea.stages:
        bar = loaded.metre.bar_ticks
        bars = -(-idea.length_ticks // bar)
        for _, count in idea.stages:
            require_range("The bars of a stage", count, 1, MAX_BARS)
        if sum(count for _, count in idea.stages) >= bars:
            raise EditRefusedError("These stages are longer than the pattern they lead to: ask for the ideas again.")
        patches += put_before(session, loaded, list(idea.stages))
    for number, step in enumerate(steps):
        length = idea.length_ticks if number == 0 else loaded.pattern.length_ticks
        after = _after(loaded.pattern, step, length, free=idea.kind == "build")
        if after.hits == loaded.pattern.hits and after.length_ticks == loaded.pattern.length_ticks:
            continue
        words = f"{idea.kind}: {idea.words if len(steps) == 1 else step[0].words}"
        loaded = keep_pattern(session, loaded, after, words[:400], patches=tuple(patches), follows=not idea.stages)
        patches = []
    if idea.stages:  # the sections put before the others are to be seen
        session.flush()
        loaded = replace(load_song(session, song_id), just_done=loaded.just_done)
    if not loaded.just_done:
        raise EditRefusedError("This idea is in the pattern already.")
    return loaded


def _after(before: Pattern, changes: Sequence[Change], length_ticks: int, free: bool) -> Pattern:
    """A build-up puts the pattern, locked hits and all, behind its stages; every other idea leaves them in place."""
    require_range("The length", length_ticks, 10, MAX_BARS * 3840, "ticks")
    after = with_changes(before, changes, length_ticks)
    return after if free else keep_locks(before, after)


def _rails_for(loaded: LoadedSong, changes: Sequence[Change]) -> list[Patch]:
    needed = {check_voice(hit.voice) for change in changes for hit in change.come}
    lacking = sorted(needed - set(loaded.kit.roles) - set(loaded.part.voices))
    if lacking:
        raise EditRefusedError(f"{loaded.kit.name} has no {voice_name(lacking[0])}: ask for ideas on this kit again.")
    if needed <= set(loaded.part.voices):
        return []
    voices = [role for role in ROLES if role in {*loaded.part.voices, *needed}]
    return [field_patch("part", loaded.part, voices=voices)]


def log_idea(session: Session, song: LoadedSong, kind: str, state: str, doc: dict[str, Any]) -> IdeaRow:
    """Remember an idea, or give one that is remembered another state. What is pinned stays so when it is taken."""
    text = json.dumps(doc, sort_keys=True)
    same = select(IdeaRow).where(IdeaRow.song_id == song.row.id, IdeaRow.kind == kind, IdeaRow.doc == text)
    if state == "taken":
        same = same.where(IdeaRow.state != "pinned")
    row = session.scalar(same.limit(1))
    if row is None:
        row = IdeaRow(song_id=song.row.id, pattern_id=song.pattern_row.id, kind=kind, state=state, doc=text)
        session.add(row)
    row.state = state
    session.flush()
    return row


def forget_old_ideas(session: Session, song: LoadedSong) -> None:
    """Only so many are remembered: the oldest dropped ones go first, then the oldest taken ones."""
    mine = IdeaRow.song_id == song.row.id
    over = (session.scalar(select(func.count(IdeaRow.id)).where(mine)) or 0) - MOST_LOGGED
    for state in ("dropped", "taken"):
        if over > 0:
            old = session.scalars(
                select(IdeaRow.id).where(mine, IdeaRow.state == state).order_by(IdeaRow.id).limit(over)
            ).all()
            session.execute(delete(IdeaRow).where(IdeaRow.id.in_(old)))
            over -= len(old)


def logged_ideas(session: Session, song: LoadedSong, state: str | None = None) -> list[IdeaRow]:
    """Of the song, the newest first; pinned ones only of the pattern they were pinned to."""
    found = select(IdeaRow).where(IdeaRow.song_id == song.row.id).order_by(IdeaRow.id.desc())
    if state is not None:
        found = found.where(IdeaRow.state == state)
    if state == "pinned":
        found = found.where(IdeaRow.pattern_id == song.pattern_row.id)
    return list(session.scalars(found.limit(MOST_LOGGED)))


def set_idea_state(session: Session, song: LoadedSong, idea_id: int, state: str) -> None:
    """Raises PocketError when the song has none of that number."""
    row = session.get(IdeaRow, idea_id)
    if row is None or row.song_id != song.row.id:
        raise PocketError("This idea is not in the log any more: look at the list as it is now.")
    row.state = state
