"""Looseness: slow shared wander, scatter of single hits, scatter of velocity.

Seeded and keyed by place, so that the same seed gives the same performance, and changing one hit changes no other.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt

from easy_pocket.core.keyed_random import normal, uniform

SLOT_TICKS = 240  # hits of a part in one 16th share its wander
BLOCK = 4096  # slots after which the wander begins another stretch

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@lru_cache(maxsize=64)
def _stretch(seed: int, name: str, block: int) -> Floats:
    """One stretch of 1/f noise of mean 0 and standard deviation 1: shape (4096,).

    Its spectrum falls with the frequency exactly, only the phases are drawn (after Hennig et al. 2011).
    """
    count = BLOCK // 2
    phases = 2 * np.pi * uniform(seed, f"{name} {block}", np.arange(1, count + 1))
    spectrum = np.zeros(count + 1, dtype=np.complex128)
    spectrum[1:] = np.arange(1, count + 1) ** -0.5 * np.exp(1j * phases)
    noise = np.fft.irfft(spectrum, BLOCK)
    return np.asarray(noise / noise.std())


def wander(seed: int, name: str, slot: Ints) -> Floats:
    """1/f noise at these slots, standard deviation 1 over a stretch.

    Parameters
    ----------
    seed
        Whole number; the same one gives the same result.
    name
        What wanders; each name has noise of its own.
    slot
        Slots, counted from 0 over all passes, any shape.

    Returns
    -------
    Floats
        Values in standard deviations, same shape as slot.
    """
    block, inside = np.divmod(slot, BLOCK)
    found = np.empty(len(slot))
    for one in np.unique(block).tolist():
        here = block == one
        found[here] = _stretch(seed, name, one)[inside[here]]
    return found


def drift(seed: int, tick: Ints, start_slot: int) -> Floats:
    """How far the player has wandered at each place, in standard deviations; shared by all hits of a slot.

    Parameters
    ----------
    seed
        Whole number; the same one gives the same result.
    tick
        Places in ticks, shape (n,).
    start_slot
        Slots that were played before tick 0.

    Returns
    -------
    Floats
        Values in standard deviations, shape (n,).
    """
    return wander(seed, "drift", tick // SLOT_TICKS + start_slot)


def jitter(seed: int, voice: str, tick: Ints, pass_key: int) -> Floats:
    """Scatter of each hit for itself, normal, in standard deviations.

    Parameters
    ----------
    seed
        Whole number; the same one gives the same result.
    voice
        Role of the voice.
    tick
        Places in ticks, shape (n,).
    pass_key
        Number of the pass; each has scatter of its own.

    Returns
    -------
    Floats
        Values in standard deviations, shape (n,).
    """
    return normal(seed, f"jitter {voice}", tick, np.full(len(tick), pass_key))


def touch(seed: int, voice: str, tick: Ints, start_slot: int, pass_key: int) -> Floats:
    """Scatter of velocity from -1 to 1, part slow and shared, part per hit.

    Parameters
    ----------
    seed
        Whole number; the same one gives the same result.
    voice
        Role of the voice.
    tick
        Places in ticks, shape (n,).
    start_slot
        Slots that were played before tick 0.
    pass_key
        Number of the pass; each has scatter of its own.

    Returns
    -------
    Floats
        Values from -1 to 1, shape (n,).
    """
    slow = np.clip(wander(seed, "touch", tick // SLOT_TICKS + start_slot) / 2, -1, 1)
    single = 2 * uniform(seed, f"touch {voice}", tick, np.full(len(tick), pass_key)) - 1
    return np.asarray(0.4 * slow + 0.6 * single)
