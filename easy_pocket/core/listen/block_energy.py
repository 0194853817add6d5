"""Energy of a recording in bands, kept for every few samples, and its sums over stretches."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.compiled import compiled
from easy_pocket.core.listen.signals import Floats, Ints, Singles


@compiled
def mean_between(blocks: Singles, begin: Ints, end: Ints) -> Floats:
    """Mean energy of the blocks from `begin` to before `end`, in every band; nothing where there are none.

    Parameters
    ----------
    blocks
        Energy of each block, shape (bands, n).
    begin, end
        First block of each stretch and the one after its last, shape (m,); what lies outside is left out.

    Returns
    -------
    Floats
        Shape (bands, m).
    """
    found = np.zeros((len(blocks), len(begin)))
    for band in range(len(blocks)):
        for index in range(len(begin)):
            first, last, total = max(begin[index], 0), min(end[index], blocks.shape[1]), 0.0
            for block in range(first, last):
                total += blocks[band, block]
            found[band, index] = total / max(last - first, 1)
    return found


def loud_energy(blocks: Singles, together: int) -> Floats:
    """What is loud in each band: the mean over so many blocks that a hundredth of such stretches exceed.

    Parameters
    ----------
    blocks
        Energy of each block, shape (bands, n).
    together
        Blocks in a stretch.

    Returns
    -------
    Floats
        Shape (bands,); zeros of a recording that is shorter than a stretch.
    """
    count = blocks.shape[1] // together
    if not count:
        return np.zeros(len(blocks))
    edges = np.arange(0, count * together, together)
    return np.asarray(np.percentile(mean_between(blocks, edges, edges + together), 99, axis=1))
