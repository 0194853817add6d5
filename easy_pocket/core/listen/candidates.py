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
from scipy import ndimage, signal

from easy_pocket.core.listen.attacks import refine
from easy_pocket.core.listen.flux import FLUX_HOP
from easy_pocket.core.listen.hit_classifier import MERGE_S
from easy_pocket.core.listen.preparation import BLOCK, Prepared
from easy_pocket.core.listen.signals import RATE_HZ, Floats, Ints

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
LOUD_BLOCKS = 14  # 5 ms: the level of a band is that of its loudest hundredth of such spans
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
    centres = np.arange(0, len(prepared.samples) - 1, RISE_HOP)
    high = rises(prepared, centres).mean(axis=0)
    weak, _ = signal.find_peaks(high, height=RISE_MIN_DB, distance=8)
    places = np.unique(np.concatenate([strong * FLUX_HOP, centres[weak]]))
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


def rises(prepared: Prepared, centres: Ints) -> Floats:
    """Energy just after against just before each centre (sample) in the three bands above 1 kHz, in dB: (3, n)."""
    energy = prepared.energy[2:]
    before, gap, after = (round(seconds * RATE_HZ / BLOCK) for seconds in (RISE_BEFORE_S, RISE_GAP_S, RISE_AFTER_S))
    last = prepared.energy.shape[1] - 1
    at = [np.clip(centres // BLOCK + shift, 0, last) for shift in (-gap - before, -gap, gap, gap + after)]
    was, now = ((energy[:, at[b]] - energy[:, at[a]]) / blocks for a, b, blocks in ((0, 1, before), (2, 3, after)))
    loudest = now.max(axis=1, keepdims=True)
    floor = loudest * RISE_FLOOR + loudest.max() * RISE_FLOOR_OVERALL + 1e-12
    return np.asarray(10 * np.log10((now + floor) / (was + floor)))


def _span_levels_db(prepared: Prepared, at: Ints) -> tuple[Floats, Floats]:
    """Level of each band in each span round places, in dB of what is loud in that band.

    (n, 5, spans); and how loud that is against the loudest band, in dB: (5,).
    """
    energy, last = prepared.energy, prepared.energy.shape[1] - 1
    edges = np.rint(np.array(SPAN_EDGES_MS) / 1000 * RATE_HZ / BLOCK).astype(np.intp)
    where = np.clip(at[:, None] // BLOCK + edges, 0, last)
    spans = np.diff(energy[:, where], axis=2) / np.maximum(np.diff(where, axis=1), 1)
    # What a cumulated sum rounds away may come out below nothing.
    spans = np.maximum(spans, 0.0)
    loud = np.percentile(np.diff(energy[:, ::LOUD_BLOCKS], axis=1) / LOUD_BLOCKS, 99, axis=1)
    loudest = max(float(loud.max()), 1e-20)
    levels_db = 10 * np.log10(spans / (loud + loudest * FLOOR_OVERALL)[:, None, None] + FLOOR)
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
    flux = ndimage.maximum_filter1d(prepared.log_odds_db, 5)[np.minimum(at // FLUX_HOP, len(prepared.log_odds_db) - 1)]
    hop = np.minimum(at // RISE_HOP, len(high) - 1)
    here = ndimage.maximum_filter1d(high, 9)[hop]
    around = [_highest(high, hop, span_ms) for span_ms in AROUND_MS]
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


def _highest(high: Floats, hop: Ints, span_ms: tuple[float, float]) -> Floats:
    begin, end = (int(at_ms * 1e-3 * RATE_HZ / RISE_HOP) for at_ms in span_ms)
    highest = ndimage.maximum_filter1d(high, end - begin, origin=-((end - begin) // 2))  # over what follows a place
    return np.asarray(highest[np.clip(hop + begin, 0, len(high) - 1)])
