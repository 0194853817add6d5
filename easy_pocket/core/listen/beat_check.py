"""Whether there is a steady beat at all in what was heard, and if not, why."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.cache import ResultCache
from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.ranked_readings import rank_readings
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.text import counted

BELIEVED = 0.27  # confidence times fit: of real loops 0.3 and more, mostly 0.8; of speech and rain below 0.22
FITTING = 0.4
FEW_HITS = 4
APART = 1.04  # two tempi are two when they are further apart than this
HALF_FITS = 0.75  # and each half keeps its own this well ...
BETTER_ALONE = 0.15  # ... and so much better than all keep one
JUMP = 1.12  # ... where the beat is followed: a player who speeds up is not two
SAME_BEAT = (1.5, 2.0, 3.0, 4.0)  # ratios of readings of one beat ...
SAME = 1.012  # ... as exactly as halves of a loop are read
WAYS_OUT = "Set the bars by hand, add or drop hits, or take it as slices: they need no beat."


_doubts: ResultCache[str] = ResultCache("beats, doubted", 1 << 18)


def beat_doubt(onsets: Onsets, reading: Reading) -> str:
    """Why there is no steady beat, and what can be done all the same, in a sentence each.

    Empty for a beat one can lean on. A reading the user set is not doubted.
    """
    if reading.confidence >= 1.0:
        return ""
    return _doubts.get((onsets.digest, reading), lambda: _doubt(onsets, reading))


def _doubt(onsets: Onsets, reading: Reading) -> str:
    likely = reading.confidence * reading.fit >= BELIEVED and reading.fit >= FITTING and len(onsets) >= FEW_HITS
    if likely and not _two_tempi(onsets, reading):
        return ""
    return f"I can't find a steady beat here, because {_reason(onsets, reading)}. {WAYS_OUT}"


def _reason(onsets: Onsets, reading: Reading) -> str:
    if not len(onsets):
        return "no hit stands out in it"
    if len(onsets) <= FEW_HITS:
        return f"only {counted(len(onsets), 'hit')} {'is' if len(onsets) == 1 else 'are'} heard"
    two = _two_tempi(onsets, reading)
    if two:
        return f"it goes at {two[0]:.0f} bpm at first and at {two[1]:.0f} later"
    if reading.fit < FITTING:
        return f"its {len(onsets)} hits lie on no common grid (the best fits {max(reading.fit, 0) * 100:.0f} %)"
    return f"several readings are about as likely (the best {reading.confidence * 100:.0f} %)"


def _two_tempi(onsets: Onsets, reading: Reading) -> tuple[float, float] | None:
    """Give the tempi of its two halves, where they are to be doubted.

    Where each fits a grid of its own much better than all fit one, or the beat that was followed jumps between them.
    """
    if len(onsets) <= FEW_HITS:
        return None
    first, second = (_half(onsets, half) for half in (0, 1))
    if not first or not second or min(first.fit, second.fit) < HALF_FITS:
        return None
    if not reading.drifts and min(first.fit, second.fit) < reading.fit + BETTER_ALONE:
        return None
    ratio = max(first.tempo_bpm, second.tempo_bpm) / min(first.tempo_bpm, second.tempo_bpm)
    same = any(max(ratio / one, one / ratio) < SAME for one in SAME_BEAT)
    apart = ratio > (JUMP if reading.drifts else APART)
    return (first.tempo_bpm, second.tempo_bpm) if apart and not same else None


def _half(onsets: Onsets, half: int) -> Reading | None:
    """The reading of the hits of one half of it alone."""
    middle_s = (onsets.time_s[0] + onsets.time_s[-1]) / 2
    mine = (onsets.time_s >= middle_s) == bool(half)
    if mine.sum() <= FEW_HITS:
        return None
    part = Onsets(
        onsets.time_s[mine] - (middle_s if half else 0.0),
        onsets.strength[mine],
        onsets.log_odds_db[mine],
        onsets.bands[mine],
        float(np.ptp(onsets.time_s[mine])) + 2.0,
    )
    try:
        return rank_readings(part)[0]
    except NoHitsError:
        return None
