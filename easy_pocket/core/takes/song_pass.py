"""A time through a whole song, taken apart into passes of its sections: each has a tempo and bars of its own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.takes.played import EARLY_MS, Played, TakeBars, played_from_rows
from easy_pocket.core.takes.take_in import SEAM_STEP

SAME_MS = 2.0  # so much two lengths of a song may differ by rounding


@dataclass(frozen=True)
class SungSpan:
    """One time a section plays in the song: its bars, and when it begins in ms."""

    bars: TakeBars
    start_ms: float


def by_sections(played: Played, spans: Sequence[SungSpan], length_ms: float, *, last: bool) -> list[Played]:
    """The hits of each span, counted from its start.

    Parameters
    ----------
    played
        Hits of a time through the song, in ms from its start, with some before and after it.
    spans
        The sections as they play, one after another.
    length_ms
        How long the song was when it was played, in ms.
    last
        Whether no time through follows: what was struck early for the first slot of the next one then comes round to
        the beginning.

    Returns
    -------
    list[Played]
        One for each span; every hit is in one of them.

    Raises
    ------
    BadValueError
        When the song is not as long any more.
    """
    now_ms = spans[-1].start_ms + spans[-1].bars.length_ms
    if abs(now_ms - length_ms) > SAME_MS:
        raise BadValueError(
            f"The song lasted {length_ms / 1000:.2f} s when this was played and lasts {now_ms / 1000:.2f} s now: undo "
            "what was changed in it, then keep this pass."
        )
    # A border lies half a 16th of the section that begins before it; the song's end is the border of its first section.
    early_ms = [min(SEAM_STEP * one.bars.tick_ms / 2, EARLY_MS) for one in spans]
    borders_ms = np.array([one.start_ms - early for one, early in zip(spans, early_ms, strict=True)])
    time_ms, end_ms = played.time_ms, now_ms - early_ms[0]
    if last:
        time_ms = np.where(time_ms >= end_ms, time_ms - now_ms, time_ms)
    of_span = np.searchsorted(borders_ms, time_ms, side="right") - 1
    names = np.array(played.names, dtype=object)
    found = []
    for number, span in enumerate(spans):
        here = (of_span == number) & (time_ms < end_ms)
        columns = names, time_ms - span.start_ms, played.velocity, played.alternate
        rows = zip(*(column[here].tolist() for column in columns), strict=True)
        found.append(played_from_rows(rows))
    return found
