"""When an account is taken away: what was theirs goes to the owner of the server, so that nothing is lost."""

from __future__ import annotations

from typing import Any, cast

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError
from easy_pocket.store.schema.people_tables import IdeaChoiceRow, PersonRow
from easy_pocket.store.schema.tables import SongRow, SoundRow, TokenRow
from easy_pocket.store.scope import SHARED_TABLES, of_everybody


def remove_person(session: Session, person_id: int) -> None:
    """Raises BadValueError for the owner of the server, or one who is gone."""
    row = session.get(PersonRow, person_id)
    if row is None:
        raise BadValueError("This account is gone already.")
    if row.role == "owner":
        raise BadValueError(f"{row.name} owns this server: that account stays.")
    owner = session.scalar(select(PersonRow.id).where(PersonRow.role == "owner").limit(1))
    assert owner is not None
    of_owner = of_everybody(select(SoundRow.key).where(SoundRow.owner_id == owner))
    double = SoundRow.owner_id == person_id, SoundRow.key.in_(list(session.scalars(of_owner)))
    session.execute(_plainly(delete(SoundRow).where(*double)))
    for table in (SongRow, *SHARED_TABLES):
        owned = cast(Any, table)
        session.execute(_plainly(update(owned).where(owned.owner_id == person_id).values(owner_id=owner)))
    session.execute(_plainly(delete(TokenRow).where(TokenRow.person_id == person_id)))
    session.execute(_plainly(delete(IdeaChoiceRow).where(IdeaChoiceRow.person_id == person_id)))
    session.delete(row)


def _plainly(statement: Any) -> Any:
    return of_everybody(statement).execution_options(synchronize_session=False)
