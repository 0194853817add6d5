"""What somebody kept and dropped of a song's ideas, so that others can be made after it. Of one person and one song."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import delete, func, or_, select, update
from sqlalchemy.orm import Session

from easy_pocket.core.ideas.taste import Choice, Taste, learned
from easy_pocket.store.database import Reads
from easy_pocket.store.schema.people_tables import IdeaChoiceRow
from easy_pocket.store.schema.tables import ChangeRow
from easy_pocket.store.viewer import VIEWER_NOW, person_of

MOST_CHOICES = 200  # of a person in a song; the oldest go
LEARNED_FROM = ("fill", "variation")  # kinds of idea that are learned from, each for itself


@dataclass(frozen=True)
class ChosenIdea:
    """An idea that was put in, as it is learned from."""

    kind: str
    key: str
    traits: tuple[str, ...]


def keep_choice(
    session: Session, song_id: int, idea: ChosenIdea, kept: bool | None, change_id: int | None = None
) -> None:
    """Remember that an idea was kept or dropped; kept None: that it was neither, after all. change_id: of the step that
    put it in, which is learned from as long as it is not taken back."""
    if idea.kind not in LEARNED_FROM or not idea.traits:
        return
    kind, key, traits = idea.kind, idea.key, idea.traits
    person = person_of(VIEWER_NOW.get())
    mine = (IdeaChoiceRow.song_id == song_id, IdeaChoiceRow.person_id == person)
    same = (*mine, IdeaChoiceRow.kind == kind, IdeaChoiceRow.idea_key == key)
    put_in = select(IdeaChoiceRow.id).where(*same, IdeaChoiceRow.kept.is_(True), IdeaChoiceRow.change_id.is_not(None))
    if kept and change_id is None and session.scalar(put_in.limit(1)):
        return  # its step says so already
    session.execute(delete(IdeaChoiceRow).where(*same))
    if kept is None:
        return
    doc = json.dumps(list(traits))
    session.add(
        IdeaChoiceRow(
            song_id=song_id,
            person_id=person,
            kind=kind,
            idea_key=key,
            kept=kept,
            traits=doc,
            forgotten=False,
            change_id=change_id,
        )
    )
    session.flush()
    over = (session.scalar(select(func.count(IdeaChoiceRow.id)).where(*mine)) or 0) - MOST_CHOICES
    if over > 0:
        old = session.scalars(select(IdeaChoiceRow.id).where(*mine).order_by(IdeaChoiceRow.id).limit(over)).all()
        session.execute(delete(IdeaChoiceRow).where(IdeaChoiceRow.id.in_(old)))


def choices_of(session: Reads, song_id: int, kind: str) -> list[Choice]:
    """Of whoever looks, the oldest first."""
    person = person_of(VIEWER_NOW.get())
    rows = session.scalars(
        select(IdeaChoiceRow)
        .outerjoin(ChangeRow, ChangeRow.id == IdeaChoiceRow.change_id)
        .where(or_(IdeaChoiceRow.change_id.is_(None), ChangeRow.undone.is_(False)))
        .where(IdeaChoiceRow.song_id == song_id, IdeaChoiceRow.person_id == person)
        .where(IdeaChoiceRow.kind == kind, IdeaChoiceRow.forgotten.is_(False))
        .order_by(IdeaChoiceRow.id)
    )
    return [Choice(tuple(_traits(row.traits)), row.kept) for row in rows]


def taste_of(session: Reads, song_id: int, kind: str) -> Taste:
    return learned(choices_of(session, song_id, kind))


def forget_choices(session: Session, song_id: int, *, forgotten: bool) -> None:
    """Nothing is learned from what was chosen so far; or, when that was a mistake, all of it again."""
    person = person_of(VIEWER_NOW.get())
    mine = (IdeaChoiceRow.song_id == song_id, IdeaChoiceRow.person_id == person)
    session.execute(update(IdeaChoiceRow).where(*mine).values(forgotten=forgotten))


def _traits(text: str) -> Iterable[str]:
    found = json.loads(text)
    return [one for one in found if isinstance(one, str)] if isinstance(found, list) else []
