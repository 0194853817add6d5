"""Turns that differ: variations of a pattern that a part plays now and then."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import PocketError
from easy_pocket.core.ideas.scene import MAX_SEED, Scene
from easy_pocket.core.ideas.variations import VariationSettings, variations
from easy_pocket.core.pattern import Pattern
from easy_pocket.core.scatter import uniform

VARIANTS = 5
CHANGES_EACH = 2
LONGEST_BARS = 4  # of a longer pattern its last bars are varied
MOST_KEPT = 256

_made: OrderedDict[tuple[object, int], tuple[Pattern, ...]] = OrderedDict()
_lock = Lock()


def variants(pattern: Pattern, seed: int) -> tuple[Pattern, ...]:
    """Other ways of playing it, two changes each; none when nothing in it may change."""
    key = (pattern.token, seed)
    with _lock:
        known = _made.get(key)
    if known is None:
        known = _varied(pattern, seed)
        with _lock:
            _made[key] = known
            while len(_made) > MOST_KEPT:
                _made.popitem(last=False)
    return known


def _varied(pattern: Pattern, seed: int) -> tuple[Pattern, ...]:
    voices = pattern.arrays.voices
    if not voices:
        return ()
    begin = max(pattern.length_ticks - LONGEST_BARS * pattern.metre.bar_ticks, 0)
    settings = VariationSettings(changes=CHANGES_EACH)
    try:
        batch = variations(
            Scene(pattern, voices, 100.0), settings, seed % MAX_SEED, begin, pattern.length_ticks, count=VARIANTS
        )
    except PocketError:
        return ()  # all of it is locked, or there is too little
    return tuple(idea.pattern() for idea in batch.ideas)


def chosen_variant(numbers: npt.NDArray[np.int64], percent: float, seed: int, count: int) -> npt.NDArray[np.int64]:
    """For each turn (counted from 0) 0 for the pattern as written, or which variant; the first turn is as written."""
    if not percent or not count:
        return np.zeros(len(numbers), dtype=np.int64)
    changes = (uniform(seed, "turn changes", numbers) * 100 < percent) & (numbers > 0)
    which = 1 + (uniform(seed, "turn variant", numbers) * count).astype(np.int64)
    return np.where(changes, which, 0)
