"""When the turns of a part begin, and when parts meet again."""

from __future__ import annotations

import math
from collections.abc import Sequence
from fractions import Fraction

import numpy as np
import numpy.typing as npt

from easy_pocket.core.pattern.timebase import Metre

Ints = npt.NDArray[np.int64]


def turns_between(lengths: Sequence[int], begin: int, end: int) -> tuple[Ints, Ints]:
    """Find the turns that reach into [begin, end): their starts and their numbers from 0.

    They are counted from tick 0, turn k is lengths[k mod n] ticks long. Whole numbers throughout: a turn is exactly
    where it is due however many went before.

    Parameters
    ----------
    lengths
        Length of each turn in ticks, in their order.
    begin
        First tick.
    end
        Tick at which it ends, not part of it.

    Returns
    -------
    tuple[Ints, Ints]
        Start in ticks, and number from 0, of each turn.
    """
    each = np.asarray(lengths, dtype=np.int64)
    total = int(each.sum())
    begins = np.concatenate([[0], np.cumsum(each)[:-1]])
    first, last = max(begin // total, 0), max(-(-end // total), 0)
    rounds = np.arange(first, last, dtype=np.int64)
    starts = (rounds[:, None] * total + begins[None, :]).ravel()
    numbers = (rounds[:, None] * len(each) + np.arange(len(each))[None, :]).ravel()
    ends = starts + np.tile(each, len(rounds))
    reach = (starts < end) & (ends > begin)
    return starts[reach], numbers[reach]


def together_ticks(cycles: Sequence[int]) -> int:
    """After how many ticks cycles of these lengths begin together again."""
    return math.lcm(*cycles) if cycles else 0


def describe_meeting(cycles: Sequence[int], metre: Metre) -> str:
    """Say after how long cycles begin together again.

    Parameters
    ----------
    cycles
        Lengths in ticks.
    metre
        Of the bars counted.

    Examples
    --------
    >>> describe_meeting([3840, 2880], Metre(4, 4))
    'together every 3 bars'
    """
    ticks = together_ticks(cycles)
    if not ticks:
        return ""
    bars = Fraction(ticks, metre.bar_ticks)
    if bars.denominator == 1:
        return "together every bar" if bars == 1 else f"together every {bars.numerator} bars"
    beats = Fraction(ticks, metre.beat_ticks)
    if beats.denominator == 1:
        return f"together every {beats.numerator} beat{'s' if beats != 1 else ''}"
    return f"together every {ticks / metre.beat_ticks:.3g} beats"


def meetings(cycles: Sequence[tuple[int, int]], length_ticks: int) -> list[int]:
    """Find where cycles of different lengths begin together.

    Parameters
    ----------
    cycles
        First start and length of each, in ticks.
    length_ticks
        How far to look.

    Returns
    -------
    list of int
        Ticks in [0, length).

    Examples
    --------
    >>> meetings([(0, 960), (0, 1440)], 9000)  # a quarter against a dotted one
    [0, 2880, 5760, 8640]
    """
    if not cycles:
        return []
    offset, step = cycles[0]
    for start, length in cycles[1:]:
        found = _both(offset, step, start, length)
        if found is None:
            return []
        offset, step = found
    first = max(start for start, _ in cycles)
    offset += -(-(first - offset) // step) * step if offset < first else 0
    return list(range(offset, length_ticks, step))


def _both(a: int, m: int, b: int, n: int) -> tuple[int, int] | None:
    """The x that are a modulo m and b modulo n (Chinese remainders), as (x, lcm); None when there is none."""
    common = math.gcd(m, n)
    if (b - a) % common:
        return None
    step = m // common * n
    turns = (b - a) // common * pow(m // common, -1, n // common) % (n // common) if n // common > 1 else 0
    return (a + m * turns) % step, step
