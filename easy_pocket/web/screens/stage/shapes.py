"""What the Stage screen's script reads."""

from __future__ import annotations

from typing import TypedDict


class Measured(TypedDict):
    """One pass of the loop. after, before: the largest size in dB of each column of a picture; takes: what the ceiling
    takes there. heard: loudness in LUFS of each sound, by its place."""

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
    heard: dict[str, float]
