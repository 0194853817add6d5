"""Strokes that belong together: what bounced on a pad, flams, rolls."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import require_range
from easy_pocket.core.takes.played import Played, TakeBars

BOUNCE_MS = 12.0  # two hits of a voice nearer than this are one, unless something else is set
MOST_BOUNCE_MS = 60.0
FLAM_MS = 45.0
GRACE_SHARE = 0.8  # a grace stroke is softer than this share of its stroke
ROLL_MS = 75.0  # strokes further apart than this are hits of their own
FEWEST_IN_ROLL = 4
EVEN_ENOUGH = 0.35  # of the gaps: their spread by their mean


@dataclass(frozen=True)
class Strokes:
    """Hits with what belongs to each.

    grace_ms: the grace stroke so long before a hit, 0 for none. strokes: of a roll that begins with the hit, 0 for
    none; span_ms: how long it lasts; swell: the velocity it gains. merged: how many hits were bounces.
    """

    played: Played
    grace_ms: npt.NDArray[np.float64]
    strokes: npt.NDArray[np.int64]
    span_ms: npt.NDArray[np.float64]
    swell: npt.NDArray[np.int64]
    merged: int


def find_strokes(played: Played, bars: TakeBars, bounce_ms: float = BOUNCE_MS) -> Strokes:
    """Merge bounces, and tell flams and rolls from hits of their own.

    Parameters
    ----------
    played
        Hits of one time round.
    bars
        What they were played over: a roll is finer than a quarter of a beat.
    bounce_ms
        Of two hits of a voice nearer than this the softer one is a bounce; 0 to 60 ms.

    Raises
    ------
    BadValueError
        For a time outside that range.
    """
    require_range("The time of a bounce", bounce_ms, 0, MOST_BOUNCE_MS, "ms")
    count = len(played)
    away = np.zeros(count, dtype=np.bool_)
    grace_ms, span_ms = np.zeros(count), np.zeros(count)
    strokes, swell = np.zeros(count, dtype=np.int64), np.zeros(count, dtype=np.int64)
    merged = 0
    roll_ms = min(ROLL_MS, 0.45 * bars.metre.pulse_ticks / 4 * bars.tick_ms * 2)
    for number in range(len(played.voices)):
        own = np.flatnonzero(played.voice_index == number)
        kept = _without_bounces(own, played, bounce_ms)
        merged += len(own) - len(kept)
        away[np.setdiff1d(own, kept)] = True
        time_ms, velocity = played.time_ms[kept], played.velocity[kept]
        gaps = np.diff(time_ms)
        rolled = np.zeros(len(kept), dtype=np.bool_)
        for first, end in _runs(gaps < roll_ms):
            inside = gaps[first : end - 1]
            if end - first < FEWEST_IN_ROLL or inside.std() > EVEN_ENOUGH * inside.mean():
                continue
            rolled[first:end] = True
            strokes[kept[first]] = end - first
            span_ms[kept[first]] = inside.sum() + inside.mean()
            swell[kept[first]] = velocity[end - 1] - velocity[first]
            away[kept[first + 1 : end]] = True
        soft = velocity[:-1] < GRACE_SHARE * velocity[1:]
        flams = np.flatnonzero((gaps <= FLAM_MS) & soft & ~rolled[:-1] & ~rolled[1:])
        flams = flams[np.r_[True, np.diff(flams) > 1]] if len(flams) else flams
        grace_ms[kept[flams + 1]] = gaps[flams]
        away[kept[flams]] = True
    stays = ~away
    return Strokes(played.only(stays), grace_ms[stays], strokes[stays], span_ms[stays], swell[stays], merged)


def _without_bounces(own: npt.NDArray[np.intp], played: Played, bounce_ms: float) -> npt.NDArray[np.intp]:
    """Of hits of one voice, those that are no bounces: of each crowd the loudest."""
    if len(own) < 2:
        return own
    crowd = np.cumsum(np.r_[0, np.diff(played.time_ms[own]) >= bounce_ms])
    # The loudest first, the earliest of those as loud; then the first of each crowd.
    order = np.lexsort((np.arange(len(own)), -played.velocity[own], crowd))
    first = np.r_[True, np.diff(crowd[order]) > 0]
    return np.sort(own[order[first]])


def _runs(near: npt.NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Hits that follow each other closely, as (first, end)."""
    edges = np.flatnonzero(np.diff(np.r_[False, near, False].astype(np.int8)))
    return [(int(first), int(last) + 1) for first, last in zip(edges[::2], edges[1::2], strict=True)]
