"""What the Grooves' script draws."""

from __future__ import annotations

from typing import TypedDict


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
