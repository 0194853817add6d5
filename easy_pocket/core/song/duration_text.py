"""Lengths and bars of a part as one types them: "3/8", "5 beats", "7 bars", "every 2nd"."""

from __future__ import annotations

import re
from fractions import Fraction

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.song.part import MOST_MARKS

TICKS = {"16th": 240, "8th": 480, "32nd": 120, "tick": 1, "quarter": 960}


def parse_ticks(text: str, metre: Metre, step_ticks: int) -> int | None:
    """Read a length as people write it.

    Parameters
    ----------
    text
        "3/8" (three 8ths), "5 beats", "7 bars", "6 steps", "9 16ths", "480 ticks"; "auto" or nothing.
    metre
        Of bars and beats.
    step_ticks
        Of a step.

    Returns
    -------
    int or None
        Ticks; None for "auto" and nothing.

    Raises
    ------
    BadValueError
        For anything else.

    Examples
    --------
    >>> four = Metre(4, 4)
    >>> [parse_ticks(text, four, 240) for text in ("3/8", "2 bars", "6 steps", "auto")]
    [1440, 7680, 1440, None]
    """
    said = text.strip().lower()
    if said in ("", "auto", "pattern", "as long as its pattern", "none"):
        return None
    notes = re.fullmatch(r"(\d{1,4})\s*/\s*(\d{1,2})", said)
    if notes and int(notes[2]) in (1, 2, 4, 8, 16, 32):
        return int(notes[1]) * 3840 // int(notes[2])
    counted = re.fullmatch(r"(\d{1,7}(?:\.\d{1,4})?)\s*([a-z0-9]+?)s?", said)
    each = {"bar": metre.bar_ticks, "b": metre.bar_ticks, "beat": metre.beat_ticks, "step": step_ticks, **TICKS}
    if counted and counted[2] in each:
        ticks = Fraction(counted[1]) * each[counted[2]]
        if ticks.denominator == 1:
            return int(ticks)
    raise BadValueError(f"'{text[:30]}' is no length: write it like 3/8, 5 beats, 7 bars, 6 steps, or auto.")


def parse_bar_marks(text: str) -> str:
    """Read which bars of a round a part plays.

    Parameters
    ----------
    text
        "all", "every 2nd", "last of 4", or marks like 0001.

    Returns
    -------
    str
        Marks, 1 for a bar that is played; "" for all.

    Raises
    ------
    BadValueError
        For anything else.

    Examples
    --------
    >>> [parse_bar_marks(text) for text in ("all", "every 2nd", "last of 4", "0110")]
    ['', '01', '0001', '0110']
    """
    said = text.strip().lower()
    if said in ("", "all", "every bar"):
        return ""
    every = re.fullmatch(r"(?:every|last of)\s+(\d{1,2})(?:nd|rd|th|st)?(?: bars?)?", said)
    if every and 1 <= int(every[1]) <= MOST_MARKS:
        return "0" * (int(every[1]) - 1) + "1" if int(every[1]) > 1 else ""
    if set(said) <= {"0", "1"}:
        return said
    raise BadValueError(f"'{text[:30]}' says no bars: write all, every 2nd, last of 4, or marks like 0011.")
