"""What the Stage screen's script reads."""

from __future__ import annotations

from typing import TypedDict

from easy_pocket.core.stage.graph_plan import UnitPlan


class CrowdedPair(TypedDict):
    """hidden, by: their places; words: what they share, and when. put: the place and the unit that would help, as they
    are sent; plan: the same for the page's graph; proposal: in words. pan, later_ms: where it would be moved to
    instead, to the side or in time. Null where no small change helps."""

    hidden: str
    by: str
    low_hz: float
    high_hz: float
    title: str
    words: str
    proposal: str
    where: str
    unit: dict[str, object] | None
    plan: UnitPlan | None
    pan: float | None
    later_ms: float


class CrowdingData(TypedDict):
    """levels: by place, in dB at each of these pitches."""

    hz: list[float]
    levels: dict[str, list[float]]
    pairs: list[CrowdedPair]


class Measured(TypedDict):
    """One pass of the loop. after, before: the largest size in dB of each column of a picture; takes: what the ceiling
    takes there. taken: what compressors take over the pass, in dB, by place and number among the units that are on.
    heard: loudness in LUFS of each sound, by its place."""

    revision: int
    length_s: float
    lufs: float
    momentary_lufs: float
    short_lufs: float
    true_peak_db: float
    matched_db: float
    ceiling_db: float
    ceiling_takes_db: float
    ceiling_times: int
    after: list[float]
    before: list[float]
    takes: list[float]
    taken: dict[str, dict[int, list[float]]]
    heard: dict[str, float]
    crowding: CrowdingData
