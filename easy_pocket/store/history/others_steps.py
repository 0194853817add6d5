"""Steps of several people in one song: one is taken back although others went on since, if they left alone what it
touched."""

from __future__ import annotations

from typing import Any

import orjson
from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.store.history.touches import Patch, meet, touched
from easy_pocket.store.schema.people_tables import PersonRow
from easy_pocket.store.schema.tables import ChangeRow, EditRow
from easy_pocket.store.scope import viewer_of


def refuse_where_others_went_on(session: Session, change: ChangeRow, patches: list[Patch]) -> None:
    """Raises EditRefusedError when somebody else has changed since what this step touches."""
    viewer = viewer_of(session)
    if viewer is None:
        return
    asked = (
        select(ChangeRow.words, ChangeRow.patches, PersonRow.name)
        .outerjoin(PersonRow, PersonRow.id == ChangeRow.person_id)
        .where(
            ChangeRow.song_id == change.song_id, ChangeRow.id > change.id, ChangeRow.person_id != viewer.person,
            ChangeRow.undone.is_(False),
        )
        .order_by(ChangeRow.id.desc())
    )  # fmt: skip
    mine = touched(patches)
    for words, theirs, name in session.execute(asked):
        if meet(mine, touched(orjson.loads(theirs))):
            raise EditRefusedError(
                f"{name or 'Somebody else'} has changed the same since ({words}): your step '{change.words}' stays as "
                "it is. Change it by hand, or let them take theirs back first."
            )


def told_by_name(session: Session, rows: list[EditRow]) -> list[str]:
    """What was changed, and by whom where it was somebody else."""
    viewer = viewer_of(session)
    if viewer is None:
        return [row.words for row in rows]
    others = {row.person_id for row in rows} - {viewer.person}
    asked = select(PersonRow.id, PersonRow.name).where(PersonRow.id.in_(others))
    names: dict[int, str] = {row.id: row.name for row in session.execute(asked)} if others else {}
    return [f"{names[row.person_id]}: {row.words}" if row.person_id in names else row.words for row in rows]


def merged(now: Any, known: Any, wanted: Any) -> Any:
    """A value when what was `known` becomes what is `wanted`: as it is now where others changed other things of it."""
    if now == known:
        return wanted
    if isinstance(now, dict) and isinstance(known, dict) and isinstance(wanted, dict):
        result = dict(now)
        for name in [*known, *(name for name in wanted if name not in known)]:
            if name not in wanted:
                result.pop(name, None)
            elif name not in known or known[name] != wanted[name]:
                result[name] = merged(now.get(name), known.get(name), wanted[name])
        return result
    if isinstance(now, list) and isinstance(known, list) and isinstance(wanted, list):
        kept = [one for one in now if one in wanted or one not in known]
        return kept + [one for one in wanted if one not in known and one not in now]
    return wanted
