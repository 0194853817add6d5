"""Who looks at the database, and what of it they may see. Without accounts nobody does: then all of it is seen."""

from __future__ import annotations

from contextvars import ContextVar
from dataclasses import dataclass
from typing import Literal

from easy_pocket.store.schema.tables import FIRST_PERSON

Role = Literal["owner", "member", "guest"]


@dataclass(frozen=True)
class Viewer:
    """person: whose shelf is looked at; 0 for who came by a link without an account. song: one of somebody else that
    this request is about, and may enter; song_owner: whose it is."""

    person: int
    name: str = ""
    role: Role = "member"
    song: int = 0
    song_owner: int = 0


VIEWER_NOW: ContextVar[Viewer | None] = ContextVar("viewer", default=None)  # of the request that is being answered
LISTENER = "listener:"  # names of those who came by a link to listen begin with it, then its number


def told_to() -> str:
    """A prefix for what a page is told to ask for: nobody else can ask for it then."""
    viewer = VIEWER_NOW.get()
    if viewer is None:
        return ""
    return f"{viewer.name}/" if viewer.name.startswith(LISTENER) else f"person:{viewer.person}/"


def person_of(viewer: Viewer | None) -> int:
    """Who makes what is made now."""
    return viewer.person if viewer else FIRST_PERSON
