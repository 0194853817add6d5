"""How a fill ends: one entry each in ENDINGS, with the odds by which it is drawn."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from easy_pocket.core.pattern.timebase import Metre

Place = tuple[int | None, int]  # tick of the ending's hit, None on the next one; and from where on the fill is silent


def _half(metre: Metre) -> int:
    return (metre.pulse_ticks // 3 if metre.compound else metre.pulse_ticks // 2) or 1


def _short(begin: int, end: int, metre: Metre) -> bool:
    return end - begin <= metre.pulse_ticks


def _crash(begin: int, end: int, metre: Metre, step: int) -> Place:
    return None, end


def _pickup(begin: int, end: int, metre: Metre, step: int) -> Place:
    return (end - 1) // step * step, end


def _hit4(begin: int, end: int, metre: Metre, step: int) -> Place:
    at = end - (_half(metre) if _short(begin, end, metre) else metre.pulse_ticks)
    return at, at + 1


def _silence(begin: int, end: int, metre: Metre, step: int) -> Place:
    rest = _half(metre) if _short(begin, end, metre) else metre.pulse_ticks
    at = end - rest - _half(metre)
    return at if at >= begin else begin, end - rest


@dataclass(frozen=True)
class Ending:
    """short: its words on a button.

    odds: how often it is drawn when nobody asks for one; all add up to 1. place(begin, end, metre, step): where its
    last hit lies in the window from tick begin to end.
    """

    short: str
    odds: float
    place: Callable[[int, int, Metre, int], Place]


ENDINGS = {
    "hit4": Ending("hit on 4", 0.34, _hit4),
    "crash": Ending("crash next", 0.3, _crash),
    "silence": Ending("silence", 0.16, _silence),
    "pickup": Ending("pick-up", 0.2, _pickup),
}
