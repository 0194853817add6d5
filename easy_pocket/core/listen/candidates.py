"""Onset candidates: every place in audio that may be a hit, with the picture the classifiers judge it by.

Places come from two detectors set to miss little. A log-magnitude spectral flux against the recent maximum in
neighbouring bands, after Bello et al. (2005), Dixon (2006) and Böck & Widmer (2013), is sure of itself but deaf to a
hat struck while another rings; energy just after against just before, in three bands above 1 kHz, hears those. Each is
then moved to where its attack starts: the moment the envelope rises to -20 dB of its peak, in the band where it stands
out. Both the place and its attack are offered: which of them is a hit is decided elsewhere.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import signal

from easy_pocket.core.compiled import compiled
from easy_pocket.core.listen.attacks import refine
from easy_pocket.core.listen.block_energy import mean_between
from easy_pocket.core.listen.flux import FLUX_HOP
from easy_pocket.core.listen.hit_classifier import MERGE_S
from easy_pocket.core.listen.preparation import BLOCK, Prepared
from easy_pocket.core.listen.signals import RATE_HZ, Floats, Ints, Singles

RISE_HOP = 64  # samples, 1.5 ms
RISE_BEFORE_S, RISE_GAP_S, RISE_AFTER_S = 0.008, 0.0007, 0.005
RISE_FLOOR = 1e-4  # of the loudest moment of a band, in energy
RISE_FLOOR_OVERALL = 1e-6  # of the loudest moment of all bands: a band the recording does not have is no evidence
RISE_MIN_DB = 1.0  # mean of the three upper bands
FLUX_MIN_DB = 1.5  # mean rise over the bands
APART = 66  # samples, 1.5 ms: what lies closer is one place

# The picture of a place: energy of five bands in these spans round it ...
SPAN_EDGES_MS = (-80.0, -40.0, -20.0, -10.0, -5.0, -2.0, -0.4, 0.4, 2.0, 4.0, 8.0, 15.0, 30.0, 60.0)
BEFORE, JUST_BEFORE, AFTER = slice(1, 6), slice(2, 6), slice(7, 11)  # spans that tell a rise
# ... and how far the upper bands rise elsewhere near it.
AROUND_MS = ((-60.0, -30.0), (-30.0, -8.0), (8.0, 30.0), (30.0, 60.0))
FLOOR, FLOOR_OVERALL = 1e-7, 1e-5
SPANS = len(SPAN_EDGES_MS) - 1
PICTURE = 5 * SPANS + 2 * 5 + 4 + len(AROUND_MS) + 5


@dataclass(frozen=True)
class Candidates:
    """Places where something stirs, in order.

    at: samples of the prepared signal, (n,). attack: where the attack of each starts, likewise, and over_db how far it
    stands above what rang before. pictures: (n, PICTURE).
    """

    at: Ints
    attack: Ints
    over_db: Floats
    pictures: Floats

    def __len__(self) -> int:
        return len(self.at)

    @property
    def levels_db(self) -> Floats:
        """Level of each band in each span round the places, in dB of what is loud in that band: (n, 5, spans)."""
        return self.pictures[:, : 5 * SPANS].reshape(len(self.at), 5, SPANS)


def detect_candidates(prepared: Prepared) -> Candidates:
    """Every place where something stirs."""
    strong, _ = signal.find_peaks(prepared.log_odds_db, height=FLUX_MIN_DB, distance=3)
    high = rises(prepared)
    weak, _ = signal.find_peaks(high, height=RISE_MIN_DB, distance=8)
    places = np.unique(np.concatenate([strong * FLUX_HOP, weak * RISE_HOP]))
    edge = int(MERGE_S * RATE_HZ)  # so far outside the audio places count too
    first, last = prepared.context - edge, prepared.context + prepared.length + edge
    places = places[(places >= first - edge) & (places < last + edge)]
    starts, contrast_db = refine(prepared, places)
    at = np.concatenate([starts, places])
    found = np.repeat([0.0, 1.0], len(places))  # the attack is offered before the place it was found from
    order = np.lexsort((found, at))
    order = order[_apart(at[order])]
    order = order[(at[order] >= first) & (at[order] < last)]
    at, found, contrast_db = at[order], found[order], np.tile(contrast_db, 2)[order]
    return Candidates(at, np.tile(starts, 2)[order], contrast_db, _pictures(prepared, at, found, contrast_db, high))


def _apart(at: Ints) -> Ints:
    """Positions of places (sorted) that are APART from the last one kept."""
    kept: list[int] = []
    last = -APART - 1
    for index, place in enumerate(at.tolist()):
        if place - last > APART:
            kept.append(index)
            last = place
    return np.array(kept, dtype=np.intp)


def rises(prepared: Prepared) -> Floats:
    """Energy just after against just before every RISE_HOP-th sample, mean of the three bands above 1 kHz, in dB."""
    before, gap, after = (round(seconds * RATE_HZ / BLOCK) for seconds in (RISE_BEFORE_S, RISE_GAP_S, RISE_AFTER_S))
    count = -(-(len(prepared.samples) - 1) // RISE_HOP)
    return _mean_rises(prepared.energy[2:], count, RISE_HOP // BLOCK, before, gap, after)


@compiled
def _mean_rises(energy: Singles, count: int, hop: int, before: int, gap: int, after: int) -> Floats:
    bands, last = energy.shape
    mean_db, up_to, loudest = np.zeros(count), np.zeros(last + 1), np.zeros(bands)
    for turn in range(
        2
    ):  # first how loud the bands become, then how far each moment rises: of ten minutes both are much
        for band in range(bands):
            for block in range(last):
                up_to[block + 1] = up_to[block] + energy[band, block]
            floor = loudest[band] * RISE_FLOOR + loudest.max() * RISE_FLOOR_OVERALL + 1e-12
            for index in range(count):
                centre = index * hop
                now = (up_to[min(centre + gap + after, last)] - up_to[min(centre + gap, last)]) / after
                if turn == 0:
                    loudest[band] = max(loudest[band], now)
                else:
                    was = (up_to[max(centre - gap, 0)] - up_to[max(centre - gap - before, 0)]) / before
                    mean_db[index] += 10 * np.log10((now + floor) / (was + floor)) / bands
    return mean_db


@compiled
def _highest(values: Floats, at: Ints, begin: int, end: int) -> Floats:
    """Of each place the highest of the values from so many after it to before so many after it."""
    found = np.empty(len(at))
    for index in range(len(at)):
        first = min(max(at[index] + begin, 0), len(values) - 1)
        highest = values[first]
        for place in range(first + 1, min(at[index] + end, len(values))):
            highest = max(highest, values[place])
        found[index] = highest
    return found


def _span_levels_db(prepared: Prepared, at: Ints) -> tuple[Floats, Floats]:
    """Level of each band in each span round places, in dB of what is loud in that band.

    (n, 5, spans); and how loud that is against the loudest band, in dB: (5,).
    """
    edges = np.rint(np.array(SPAN_EDGES_MS) / 1000 * RATE_HZ / BLOCK).astype(np.intp)
    where = np.clip(at[:, None] // BLOCK + edges, 0, prepared.energy.shape[1])
    means = mean_between(prepared.energy, where[:, :-1].ravel(), where[:, 1:].ravel())
    loud = prepared.loud
    loudest = max(float(loud.max()), 1e-20)
    over_loud = means / (loud + loudest * FLOOR_OVERALL)[:, None]
    levels_db = 10 * np.log10(over_loud + FLOOR).reshape(len(loud), len(at), SPANS)
    return levels_db.transpose(1, 0, 2), 10 * np.log10(loud / loudest + FLOOR)


def hit_pictures(prepared: Prepared, at: Ints) -> Floats:
    """What of the picture of a place is told by the energy of the bands alone: (n, 5 x spans + 15)."""
    levels_db, over_loudest, over_mean, bands_db = _levels(prepared, at)
    flat = levels_db.reshape(len(at), 5 * SPANS)
    return np.concatenate([flat, over_loudest, over_mean, np.tile(bands_db, (len(at), 1))], axis=1)


def _levels(prepared: Prepared, at: Ints) -> tuple[Floats, Floats, Floats, Floats]:
    levels_db, bands_db = _span_levels_db(prepared, at)
    after = levels_db[:, :, AFTER].max(axis=2)
    over_loudest = after - levels_db[:, :, JUST_BEFORE].max(axis=2)
    over_mean = after - 10 * np.log10((10 ** (levels_db[:, :, BEFORE] / 10)).mean(axis=2))
    return levels_db, over_loudest, over_mean, bands_db


def _pictures(prepared: Prepared, at: Ints, found: Floats, contrast_db: Floats, high: Floats) -> Floats:
    levels_db, over_loudest, over_mean, bands_db = _levels(prepared, at)
    flux = _highest(prepared.log_odds_db, np.minimum(at // FLUX_HOP, len(prepared.log_odds_db) - 1), -2, 3)
    hop = np.minimum(at // RISE_HOP, len(high) - 1)
    here = _highest(high, hop, -4, 5)
    around = [_highest(high, hop, *(int(at_ms * 1e-3 * RATE_HZ / RISE_HOP) for at_ms in span)) for span in AROUND_MS]
    return np.concatenate(
        [
            levels_db.reshape(len(at), 5 * SPANS),
            over_loudest,
            over_mean,
            np.stack([flux, here, contrast_db, found, *around], axis=1),
            np.tile(bands_db, (len(at), 1)),
        ],
        axis=1,
    )
