"""How far apart patterns are, 0 to 1, and how dense they are."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from easy_pocket.core.pattern.pattern import Hit, Pattern

FINEST_TICKS = 10  # places nearer than this are one
LOUDNESS = (56, 104)  # ghosts are softer than the first, accents louder than the second
CLASS_COST = 0.5  # of a hit that is a class louder or softer, where one too many costs 1

Floats = npt.NDArray[np.float64]


def distances(lists: Sequence[Sequence[Hit]]) -> Floats:
    """Distances between lists of hits, shape (n, n), 0 (the same) to 1 (nothing in common).

    An edit distance over (voice, slot, velocity class): in each slot a hit too many, too few or on another voice costs
    1, another class of velocity 0.5, of as many as the fuller of both has. The classes are ghost, plain and accent.
    """
    table = _table(lists)
    count = len(lists)
    found = np.zeros((count, count))
    sizes = (table > 0).sum(axis=2)
    for one in range(count - 1):
        others = table[one + 1 :]
        here, there = table[one][None] > 0, others > 0
        both = here & there
        louder = CLASS_COST * (np.abs(others - table[one][None]) * both).sum(axis=(1, 2)).clip(0)
        unmatched = np.maximum((here & ~there).sum(axis=2), (there & ~here).sum(axis=2)).sum(axis=1)
        whole = np.maximum(sizes[one][None], sizes[one + 1 :]).sum(axis=1)
        found[one, one + 1 :] = (unmatched + np.minimum(louder, both.sum(axis=(1, 2)))) / np.maximum(whole, 1)
    return np.asarray(found + found.T)


def _table(lists: Sequence[Sequence[Hit]]) -> npt.NDArray[np.int64]:
    """Velocity class (1 to 3, 0 for silence) of every list, slot and voice."""
    slots = {tick: place for place, tick in enumerate(sorted({_slot(hit) for hits in lists for hit in hits}))}
    voices = {voice: place for place, voice in enumerate(sorted({hit.voice for hits in lists for hit in hits}))}
    table = np.zeros((len(lists), max(len(slots), 1), max(len(voices), 1)), dtype=np.int64)
    for number, hits in enumerate(lists):
        for hit in hits:
            table[number, slots[_slot(hit)], voices[hit.voice]] = 1 + int(np.searchsorted(LOUDNESS, hit.velocity))
    return table


def _slot(hit: Hit) -> int:
    return round(hit.tick / FINEST_TICKS)


def distance(one: Pattern, other: Pattern) -> float:
    """Between two patterns; see `distances`."""
    return float(distances([one.hits, other.hits])[0, 1])


def within(pattern: Pattern, begin: int, end: int) -> list[Hit]:
    """Hits from tick begin up to, not reaching, end.

    Parameters
    ----------
    pattern
        What is written.
    begin
        First tick.
    end
        Tick at which it ends, not part of it.

    Returns
    -------
    list[Hit]
        Hits in order of place.
    """
    return [hit for hit in pattern.hits if begin <= hit.tick < end]


def density(pattern: Pattern, begin: int, end: int) -> float:
    """Hits a beat (as one counts it: dotted in 6/8) from tick begin to end.

    Parameters
    ----------
    pattern
        What is written.
    begin
        First tick.
    end
        Tick at which it ends, not part of it.

    Returns
    -------
    float
        Hits a beat.
    """
    return len(within(pattern, begin, end)) / ((end - begin) / pattern.metre.pulse_ticks)
