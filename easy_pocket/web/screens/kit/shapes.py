"""What the Kit's script lists."""

from __future__ import annotations

from typing import NotRequired, TypedDict

from easy_pocket.web.shared.shapes import Playing, Strike


class SoundRow(TypedDict):
    """bright, long: 0-100 of the list's scales. path: a picture. new, certainty: of one that was just brought in."""

    id: int
    name: str
    role: str
    role_name: str
    source: str
    bright: int
    long: int
    facts: str
    path: str
    favourite: bool
    in_use: bool
    removed: bool
    new: NotRequired[bool]
    certainty: NotRequired[float]


class SoundsFound(TypedDict):
    total: int
    offset: int
    sounds: list[SoundRow]


class SoundsBrought(TypedDict):
    """refused: in words what could not be used."""

    sounds: list[SoundRow]
    refused: list[str]


class Tried(TypedDict):
    """A sound that is tried: one hard hit, and the beat with it when that was asked for."""

    hit: Strike
    playing: Playing | None


class Beside(TypedDict):
    """The same beat on another kit, as loud as on its own."""

    name: str
    gain_db: float
    playing: Playing
