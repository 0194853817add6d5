"""Screens: each registers itself from its own folder; navigation, views, answers and scripts follow from that entry."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter

from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.pipeline import Changed
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.shared.edit_requests import SONG_SCREENS, View


@dataclass(frozen=True)
class ScreenState:
    """What an edit changed on a screen.

    fragments: HTML by element id, swapped in by htmx. data: numbers for what the screen's script draws. hears: whether
    the page is to be given the loop of the pattern it looks at. ribbon: whether the sections over the screen change.
    """

    fragments: dict[str, str]
    data: Any = None
    hears: bool = True
    ribbon: bool = True


MakeState = Callable[[LoadedSong, View, Changed, Reader], ScreenState]


@dataclass(frozen=True)
class Screen:
    """name: of its folder, template, script, style and address. position: its place in the navigation. icon: the path
    of a picture of 24 x 24. state: what an edit changes on it (None: it belongs to no song)."""

    name: str
    title: str
    position: int
    icon: str
    routers: tuple[APIRouter, ...]
    state: MakeState | None = None

    def address(self, song_id: int | None) -> str:
        return f"/songs/{song_id}/{self.name}" if self.state else "/"


SCREENS: dict[str, Screen] = {}


def register(screen: Screen) -> Screen:
    """Raises TypeError for a name that is taken."""
    if screen.name in SCREENS:
        raise TypeError(f"two screens are called '{screen.name}'")
    SCREENS[screen.name] = screen
    if screen.state is not None:
        SONG_SCREENS.add(screen.name)
    return screen


def in_order() -> list[Screen]:
    return sorted(SCREENS.values(), key=lambda screen: screen.position)
