"""What the Grooves' script draws."""

from __future__ import annotations

from typing import NotRequired, TypedDict


class GrooveLane(TypedDict):
    """By slot: offset and spread in ms, accent 0-1, how many hits it was taken from, whether it was guessed."""

    offset: list[float]
    accent: list[float]
    spread: list[float]
    count: list[int]
    guessed: list[bool]


class GrooveData(TypedDict):
    """reach: ms from the middle to the edge of the picture. beats: of each slot, whether it is a beat."""

    id: int
    slots: int
    bars: int
    reach: float
    labels: list[str]
    beats: list[bool]
    lane: str
    lanes: dict[str, GrooveLane]


class GroovePoint(TypedDict):
    """across, up: its place, 0 to 1 from the left and from the foot. like, opposite: to the one compared with, 0-1."""

    key: str
    name: str
    kind: str
    words: str
    across: float
    up: float
    like: NotRequired[float]
    opposite: NotRequired[float]


class GrooveMapData(TypedDict):
    """across, up: what the axes mean at their two ends."""

    points: list[GroovePoint]
    across: list[str]
    up: list[str]
