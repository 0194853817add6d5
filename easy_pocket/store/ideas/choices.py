"""What somebody kept and dropped of a song's ideas, so that others can be made after it. Of one person and one song."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from easy_pocket.core.ideas.taste import Choice, Taste, learned
from easy_pocket.store.database import Reads
from easy_pocket.store.schema.people_tables import IdeaChoiceRow
from easy_pocket.store.viewer import VIEWER_NOW, person_of

MOST_CHOICES = 200  # of a person in a song; the oldest go
LEARNED_FROM = ("fill", "variation")  # kinds of idea that are learned from, each for itself


def keep_choice(session: Session, song_id: int, kind: str, key: str, traits: Sequence[str], kept: bool | None) -> None:
    """Remember that an idea was kept or dropped; kept None: that it was neither, after all."""
    if kind not in LEARNED_FROM or not traits:
        return
    person = person_of(VIEWER_NOW.get())
    mine = (IdeaChoiceRow.song_id == song_id, IdeaChoiceRow.person_id == person)
    session.execute(delete(IdeaChoiceRow).where(*mine, IdeaChoiceRow.kind == kind, IdeaChoiceRow.idea_key == key))
    if kept is None:
        return
    doc = json.dumps(list(traits))
    session.add(
        IdeaChoiceRow(
            song_id=song_id, person_id=person, kind=kind, idea_key=key, kept=kept, traits=doc, forgotten=False
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
