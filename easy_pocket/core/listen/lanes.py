"""Filters of second-order sections over a whole recording, sixteen stretches of it beside each other.

A recursive filter needs each sample before the next, so a processor that could do sixteen sums at once does one. Here
the recording is cut into as many stretches, and each begins a little earlier, with what came before it: by its own
first sample the filter has forgotten that it started, to less than single floats can hold.
"""

from __future__ import annotations

import numpy as np

from easy_pocket.core.compiled import compiled
from easy_pocket.core.listen.signals import Singles

LANES = 16  # stretches: single floats in one register of a wide processor
TILE = 64  # steps that are laid beside each other at a time


@compiled
def measure_bands(samples: Singles, filters: Singles, warm_up: int, block: int, found: Singles) -> None:
    """Energy of a signal in bands, block by block; what does not fill a last block is not measured.

    Parameters
    ----------
    samples
        A signal, shape (n,).
    filters
        One filter of two second-order sections for each band, shape (bands, 2, 6).
    warm_up
        Samples a filter needs to forget that it started, a multiple of `block`.
    block
        Samples whose energy is added up; it divides TILE.
    found
        Where it is written, shape (bands, n // block).
    """
    bands, blocks = len(filters), len(samples) // block
    stretch = (blocks + LANES - 1) // LANES * block
    state = np.zeros((bands, 4, LANES), dtype=np.float32)
    tile, added = np.empty((TILE, LANES), dtype=np.float32), np.empty(LANES, dtype=np.float32)
    for begin in range(-warm_up, stretch, TILE):
        for lane in range(LANES):
            at = lane * stretch + begin
            if at >= 0 and at + TILE <= len(samples):
                for step in range(TILE):
                    tile[step, lane] = samples[at + step]
            else:
                for step in range(TILE):
                    tile[step, lane] = samples[at + step] if 0 <= at + step < len(samples) else 0.0
        for band in range(bands):
            first, second, held = filters[band, 0], filters[band, 1], state[band]
            b0, b1, b2, a1, a2 = first[0], first[1], first[2], first[4], first[5]
            d0, d1, d2, c1, c2 = second[0], second[1], second[2], second[4], second[5]
            for start in range(0, TILE, block):
                added[:] = 0.0
                for step in range(start, start + block):
                    for lane in range(LANES):
                        x = tile[step, lane]
                        y = b0 * x + held[0, lane]
                        held[0, lane] = b1 * x - a1 * y + held[1, lane]
                        held[1, lane] = b2 * x - a2 * y
                        z = d0 * y + held[2, lane]
                        held[2, lane] = d1 * y - c1 * z + held[3, lane]
                        held[3, lane] = d2 * y - c2 * z
                        added[lane] += z * z
                if 0 <= begin + start < stretch:
                    for lane in range(LANES):
                        index = (lane * stretch + begin + start) // block
                        if index < blocks:
                            found[band, index] = added[lane]


@compiled
def filtered(samples: Singles, section: Singles, warm_up: int) -> Singles:
    """Filter a signal by one second-order section.

    Parameters
    ----------
    samples
        A signal, shape (n,).
    section
        Shape (6,).
    warm_up
        Samples the filter needs to forget that it started, a multiple of TILE.

    Returns
    -------
    Singles
        Shape (n,).
    """
    count = len(samples)
    stretch = (count + LANES - 1) // LANES
    b0, b1, b2, a1, a2 = section[0], section[1], section[2], section[4], section[5]
    found = np.empty(count, dtype=np.float32)
    held = np.zeros((2, LANES), dtype=np.float32)
    tile = np.empty((TILE, LANES), dtype=np.float32)
    for begin in range(-warm_up, stretch, TILE):
        for lane in range(LANES):
            at = lane * stretch + begin
            for step in range(TILE):
                tile[step, lane] = samples[at + step] if 0 <= at + step < count else 0.0
        for step in range(TILE):
            for lane in range(LANES):
                x = tile[step, lane]
                y = b0 * x + held[0, lane]
                held[0, lane] = b1 * x - a1 * y + held[1, lane]
                held[1, lane] = b2 * x - a2 * y
                tile[step, lane] = y
        if begin >= 0:
            width = min(TILE, stretch - begin)
            for lane in range(LANES):
                at = lane * stretch + begin
                for step in range(min(width, count - at)):
                    found[at + step] = tile[step, lane]
    return found
