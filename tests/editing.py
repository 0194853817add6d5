"""Edits made in tests as a page makes them: by their kind and values, through the one way in."""

from __future__ import annotations

import re
from dataclasses import asdict
from typing import Any

from pydantic import TypeAdapter

from easy_pocket.core.pattern.pattern_edit import PatternEdit
from easy_pocket.core.sound.kit_edit import KitEdit
from easy_pocket.store.database import Database
from easy_pocket.store.songs.edits.pipeline import EditResult, SentEdit, SentStep, make_edit, take_steps
from easy_pocket.store.songs.edits.registry import any_edit
from easy_pocket.store.songs.selection import ANYWHERE, Selection

ADAPTER: TypeAdapter[Any] = TypeAdapter(any_edit())


def do(
    store: Database,
    song_id: int,
    kind: str | PatternEdit | KitEdit,
    *,
    revision: int | None = None,
    gesture: str | None = None,
    edit_id: str = "",
    selection: Selection = ANYWHERE,
    **values: Any,
) -> EditResult:
    """kind: the name of an edit, or one of the core's."""
    if not isinstance(kind, str):
        kind, values = kind.kind, asdict(kind)  # type: ignore[call-overload]
    edit = ADAPTER.validate_python({"kind": kind, **values})
    return make_edit(store, song_id, SentEdit(edit, revision, selection, edit_id, gesture))


def step(store: Database, song_id: int, direction: str) -> str:
    """Its words."""
    return take_steps(store, song_id, SentStep(direction)).words


SWAPPED = '<div id="([^"]+)" hx-swap-oob="refresh">'


def fragment(answer: dict[str, Any], name: str) -> str:
    """The HTML that an answer swaps into the element of this id."""
    pieces = re.split(SWAPPED, answer["fragments"])[1:]
    return dict(zip(pieces[::2], pieces[1::2], strict=True))[name]


def fragments(answer: dict[str, Any]) -> list[str]:
    """The ids of what an answer swaps in."""
    return re.findall(SWAPPED, answer["fragments"])
