"""Where the attack of each place begins: the moment its envelope rises out of what rang before."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.compiled import compiled
from easy_pocket.core.listen.lanes import filtered
from easy_pocket.core.listen.preparation import Prepared, filter_of
from easy_pocket.core.listen.signals import RATE_HZ, Floats, Ints, Singles

# Share of the peak that counts as the start. Above 2.5 kHz sounds start steeply and little rings, so a smaller share is
# safe there; it also hears the hat that comes a few ms before a kick.
FULL_SHARE, UPPER_SHARE = 0.1, 0.05
BACKGROUND_S = (-0.040, -0.018)  # where the sound before a place is measured
SEARCH_S = (-0.018, 0.030)  # where its attack may lie
BACKGROUND_MARGIN = 1.6  # over the loudest of the background
CLEAR_DB = 9.0  # a band this far above its background is believed
UPPER_HZ = 2500.0
WARM_UP = 512  # samples, 12 ms: after them the filter for the upper band has forgotten that it began
PIECE = 1 << 20  # samples filtered at a time: of ten minutes all of them would be a hundred megabytes


def refine(prepared: Prepared, places: Ints) -> tuple[Ints, Floats]:
    """The sample where each place's attack starts, and how far it stands above its background in dB.

    Parameters
    ----------
    prepared
        Audio as the detection needs it.
    places
        Samples where something stirs, rising, shape (n,).

    Returns
    -------
    tuple[Ints, Floats]
        Where each starts and its contrast, both (n,).
    """
    samples, section = prepared.samples, filter_of("high", UPPER_HZ)[0]
    edges = np.array([int(at_s * RATE_HZ) for at_s in (*BACKGROUND_S, *SEARCH_S)])
    starts, contrast_db = places.copy(), np.zeros(len(places))
    at = 0
    while at < len(places):
        begin = max(int(places[at] + edges[0]), 0)
        behind = int(np.searchsorted(places, begin + PIECE - edges[3]))
        behind = max(behind, at + 1)
        end = min(int(places[behind - 1] + edges[3]), len(samples))
        upper = filtered(samples[max(begin - WARM_UP, 0) : end], section, WARM_UP)[-(end - begin) :]
        piece = slice(at, behind)
        starts[piece], contrast_db[piece] = _starts(samples[begin:end], upper, places[piece] - begin, edges)
        starts[piece] += begin
        at = behind
    return starts, contrast_db


@compiled
def _starts(full: Singles, upper: Singles, places: Ints, edges: Ints) -> tuple[Ints, Floats]:
    """Start and contrast of each place, heard at its full range and above UPPER_HZ; beyond the ends there is nothing.

    What stands out nowhere is best placed where its rise was steepest: that is the place itself.
    """
    starts, contrast_db = places.copy(), np.full(len(places), -np.inf)
    for index in range(len(places)):
        place, earliest = places[index], np.iinfo(np.int64).max
        quiet_from, quiet_to = max(place + edges[0], 0), min(max(place + edges[1], 0), len(full))
        search_from, search_to = max(place + edges[2], 0), min(place + edges[3], len(full))
        for band in range(2):
            heard, share = (full, FULL_SHARE) if band == 0 else (upper, UPPER_SHARE)
            # Without its sign a float is the larger the larger its bits are as a whole number: those compare faster.
            bits = heard.view(np.int32)
            loudest = np.zeros(2, dtype=np.int32)
            for at in range(quiet_from, quiet_to):
                loudest[0] = max(loudest[0], bits[at] & 0x7FFFFFFF)
            for at in range(search_from, search_to):
                loudest[1] = max(loudest[1], bits[at] & 0x7FFFFFFF)
            background, peak = loudest.view(np.float32)
            threshold = max(share * peak, min(BACKGROUND_MARGIN * background, 0.7 * peak))
            start = search_from
            while start < search_to - 1 and abs(heard[start]) < threshold:
                start += 1
            over_db = 20 * np.log10((peak + 1e-9) / (background + 1e-9))
            contrast_db[index] = max(contrast_db[index], over_db)
            if over_db >= CLEAR_DB:
                earliest = min(earliest, start)
        if earliest < np.iinfo(np.int64).max:
            starts[index] = earliest
    return starts, contrast_db
