"""A lane of a groove template from hits: what each slot plays on average."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.template import Lane

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]


def lane_from_hits(
    slot: Ints,
    offset_ms: Floats,
    strength: Floats,
    chosen: npt.NDArray[np.bool_],
    slots: int,
    every: Lane | None = None,
) -> Lane:
    """A lane from hits, as columns: slot, offset_ms, strength 0-1; `chosen` says which count.

    `every` (all hits) stands in for a swing phase without any.

    Parameters
    ----------
    slot
        Slot of each hit, counted from 0, shape (n,).
    offset_ms
        How far each hit lies from its slot in ms, late positive, shape (n,).
    strength
        How loud each hit is, 0 to 1, shape (n,).
    chosen
        Which hits count, shape (n,).
    slots
        How many slots the lane has.
    every
        The lane of all hits, for swing phases without any; None leaves those at 0.

    Returns
    -------
    Lane
        Offset in ms, spread, accent and count of every slot.
    """
    index = slot[chosen] % slots
    offset_ms, strength = offset_ms[chosen], np.maximum(strength[chosen], 1e-6)
    weight = np.sqrt(strength)  # a loud hit says more, but one loud bar does not speak for all
    count = np.bincount(index, minlength=slots)
    weights = np.maximum(np.bincount(index, weight, slots), 1e-12)
    filled = count > 0
    mean = np.bincount(index, weight * offset_ms, slots) / weights
    variance = np.bincount(index, weight * (offset_ms - mean[index]) ** 2, slots) / weights
    accent = np.bincount(index, strength, slots) / np.maximum(count, 1)
    accent = accent / max(float(accent.max(initial=0.0)), 1e-12)
    for phase in (0, 1):
        same = np.arange(slots) % 2 == phase
        known = same & filled
        fill = same & ~filled
        if known.any():
            mean[fill] = np.average(mean[known], weights=count[known])
            accent[fill] = accent[known].mean()
        else:
            mean[fill] = every.offsets[fill] if every else 0.0
            accent[fill] = every.accents[fill] if every else 0.5
    return Lane(
        offset_ms=tuple(np.clip(mean, -250, 250).tolist()),
        accent=tuple(np.clip(accent, 0, 1).tolist()),
        spread_ms=tuple(np.sqrt(variance).tolist()),
        count=tuple(count.tolist()),
        guessed=tuple((~filled).tolist()),
    )
