"""What a session sees of rows that belong to people. Every statement of a session with a viewer is narrowed, here and
nowhere else: to what is theirs, what is of the house, and the song of somebody else that they were let in to.

What a song names (its kits, its grooves) is read `of_everybody`: who may open the song hears it whole."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from sqlalchemy import event, or_
from sqlalchemy.orm import ORMExecuteState, Session, with_loader_criteria

from easy_pocket.store.schema.tables import (
    HOUSE,
    HandRow,
    KitRow,
    Owned,
    PhraseRow,
    SongRow,
    SoundRow,
    TemplateRow,
    TokenRow,
)
from easy_pocket.store.viewer import Viewer, person_of

VIEWER, OF_EVERYBODY = "viewer", "of_everybody"
SHARED_TABLES: tuple[type[Any], ...] = (KitRow, SoundRow, TemplateRow, HandRow, PhraseRow)


def viewer_of(session: Session) -> Viewer | None:
    found: Viewer | None = session.info.get(VIEWER)
    return found


def of_everybody(asked: Any) -> Any:
    """A statement that is not narrowed: for what a song names, and for what follows from a change."""
    return asked.execution_options(**{OF_EVERYBODY: True})


def get_of_everybody(session: Session, table: type[Any], key: Any, **options: Any) -> Any:
    return session.get(table, key, execution_options={OF_EVERYBODY: True}, **options)


@lru_cache(maxsize=1024)
def _criteria(viewer: Viewer) -> list[Any]:
    mine = (HOUSE, viewer.person) if viewer.person else (HOUSE,)
    songs = or_(SongRow.owner_id == viewer.person, SongRow.id == viewer.song)
    owned = [with_loader_criteria(table, table.owner_id.in_(mine), include_aliases=True) for table in SHARED_TABLES]
    return [
        *owned,
        with_loader_criteria(SongRow, songs, include_aliases=True),
        with_loader_criteria(TokenRow, TokenRow.person_id == viewer.person, include_aliases=True),
    ]


@event.listens_for(Session, "do_orm_execute")
def _narrow(state: ORMExecuteState) -> None:
    viewer = viewer_of(state.session)
    if viewer is None or state.is_column_load or state.is_relationship_load:
        return
    if state.execution_options.get(OF_EVERYBODY):
        return
    state.statement = state.statement.options(*_criteria(viewer))


@event.listens_for(Session, "before_flush")
def _give_to_its_maker(session: Session, context: Any, instances: Any) -> None:
    """What is new belongs to whoever makes it, unless it says whose it is."""
    person = person_of(viewer_of(session))
    for row in session.new:
        if isinstance(row, Owned) and row.owner_id is None:
            row.owner_id = person
