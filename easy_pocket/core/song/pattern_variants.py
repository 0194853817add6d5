"""Turns that differ: variations of a pattern that a part plays now and then."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.cache import ResultCache
from easy_pocket.core.errors import PocketError
from easy_pocket.core.ideas.idea_context import MAX_SEED, IdeaContext
from easy_pocket.core.ideas.variations import VariationSettings, variations
from easy_pocket.core.keyed_random import uniform
from easy_pocket.core.pattern.pattern import Pattern

VARIANTS = 5
CHANGES_EACH = 2
LONGEST_BARS = 4  # of a longer pattern its last bars are varied

_made: ResultCache[tuple[Pattern, ...]] = ResultCache("variants of patterns", 32 << 20)


def variants(pattern: Pattern, seed: int) -> tuple[Pattern, ...]:
    """Other ways of playing it, two changes each; none when nothing in it may change."""
    return _made.get((pattern.token, seed), lambda: _varied(pattern, seed))


def _varied(pattern: Pattern, seed: int) -> tuple[Pattern, ...]:
    voices = pattern.arrays.voices
    if not voices:
        return ()
    begin = max(pattern.length_ticks - LONGEST_BARS * pattern.metre.bar_ticks, 0)
    settings = VariationSettings(changes=CHANGES_EACH)
    try:
        batch = variations(
            IdeaContext(pattern, voices, 100.0), settings, seed % MAX_SEED, begin, pattern.length_ticks, count=VARIANTS
        )
    except PocketError:
        return ()  # all of it is locked, or there is too little
    return tuple(idea.pattern() for idea in batch.ideas)


def chosen_variant(numbers: npt.NDArray[np.int64], percent: float, seed: int, count: int) -> npt.NDArray[np.int64]:
    """For each turn (counted from 0) 0 for the pattern as written, or which variant; the first turn is as written.

    Parameters
    ----------
    numbers
        Turns, counted from 0, shape (n,).
    percent
        How often a variant is played, 0 to 100.
    seed
        Whole number; the same one gives the same result.
    count
        How many variants there are.

    Returns
    -------
    npt.NDArray[np.int64]
        0 for the pattern, 1 to count for a variant, shape (n,).
    """
    if not percent or not count:
        return np.zeros(len(numbers), dtype=np.int64)
    changes = (uniform(seed, "turn changes", numbers) * 100 < percent) & (numbers > 0)
    which = 1 + (uniform(seed, "turn variant", numbers) * count).astype(np.int64)
    return np.where(changes, which, 0)
