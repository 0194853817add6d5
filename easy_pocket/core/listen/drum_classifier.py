"""What kind of sound a hit in a loop is: kick, snare, hat, tom or another cymbal, or several at once.

A picture of the hit - level by band in three spans after its start, of what rang before and what rings on, and how
tonal each band is - goes into neural networks beside the mean of all hits of its recording and how far it is from that:
a ghost note under a hat is told by what the other hats of the recording do not have. Two networks are averaged, one
fitted to loops in which open hats ring on, one to loops in which the next stroke closes them. A third tells drums from
what is none (a mouth, a table). All are fitted by `tools/fit kinds` on loops made for it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.core.listen.network import Network, read_network
from easy_pocket.core.listen.signals import RATE_HZ

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]

KINDS = ("kick", "snare", "hat", "tom", "cymbal")
TOLD = (*KINDS, "open hat", "crash")  # what the networks tell
NETWORKS = ("ringing", "closing")
FITTED_FILE = Path(__file__).with_name("drum_classifier.npz")
SPANS_S = ((0.0, 0.010), (0.010, 0.030), (0.030, 0.075))
BEFORE_S = (-0.030, -0.004)
LATE_S = (0.075, 0.150)
BODY_S = (0.008, 0.075)  # where tones are told from noise
BANDS_HZ = (
    30, 55, 75, 95, 120, 150, 190, 240, 320, 450, 650, 900, 1250, 1750, 2500, 3600, 5000, 7000, 10_000, 14_000, 20_000,
)  # fmt: skip
BANDS = len(BANDS_HZ) - 1
PICTURE = 7 * BANDS + 2
HIGH_BAND = 9  # the first one above 400 Hz
RINGS_ON = 0.8  # how much of what rang before still does
FLOOR_DB = -50.0
FAINTEST = 1e-8  # in power, of what is loud
TRANSFORM = 4096
PIECE = 128  # hits looked at together


@dataclass(frozen=True)
class Heard:
    """What speaks for each hit, 0-1: being of KINDS, (n, 5); being an open hat, a crash, and a drum at all, (n,)."""

    kinds: Floats
    is_open: Floats
    crash: Floats
    drum: Floats


def onset_pictures(mono: npt.NDArray[np.floating[Any]], times_s: Floats) -> Floats:
    """Picture each hit by its energy: shape (hits, 142).

    New energy by three spans and 20 bands in dB below the hit's loudest cell (bands above 400 Hz below their own
    loudest, so that a bass does not hide them), what rang before likewise, how far apart the two are, the hit's level
    in dB below the loop's loud hits, what rings on likewise, how tonal each band is, and the level of each band's
    attack in dB below its loud ones. mono: 44.1 kHz, shape (frames,).
    """
    if not len(times_s):
        return np.zeros((0, PICTURE))
    starts = np.rint(times_s * RATE_HZ).astype(np.intp)
    spans = [_energy(mono, starts, span) for span in SPANS_S]
    before = _energy(mono, starts, BEFORE_S)
    new = np.stack([np.maximum(span - RINGS_ON * before, 0.02 * span) for span in spans], axis=1)
    loudest = np.maximum(new.max(axis=(1, 2)), 1e-20)
    upper = np.maximum(new[:, :, HIGH_BAND:].max(axis=(1, 2)), loudest * 10 ** (FLOOR_DB / 10))
    against = np.where(np.arange(BANDS) < HIGH_BAND, loudest[:, None], upper[:, None])
    late = np.minimum(_energy(mono, starts, LATE_S) / against, 1e2)
    apart_db = 10 * np.log10(upper / loudest)
    levels = np.maximum(np.stack([apart_db, _beside_loud_db(loudest)], axis=1), FLOOR_DB)
    attacks = np.maximum(_beside_loud_db(new[:, :2].sum(axis=1)), FLOOR_DB)
    shape = _db(new / against[:, None]).reshape(len(times_s), -1)
    rang = _db(np.minimum(before / against, 1e3))
    return np.concatenate([shape, rang, levels, _db(late), _tonal(mono, starts), attacks], axis=1)


def _db(power: Floats) -> Floats:
    return np.asarray(10 * np.log10(power + 10 ** (FLOOR_DB / 10)))


def _beside_loud_db(power: Floats) -> Floats:
    loud = np.percentile(power, 95, axis=0)
    least = max(float(np.max(loud)) * FAINTEST, 1e-20)
    return np.asarray(10 * np.log10(np.maximum(power, least) / np.maximum(loud, least)))


def _energy(samples: npt.NDArray[np.floating[Any]], starts: Ints, span_s: tuple[float, float]) -> Floats:
    """Mean power of each band in a span round each start: (n, BANDS)."""
    return np.concatenate([_sums(power) for power in _spectra(samples, starts, span_s)])


def _tonal(samples: npt.NDArray[np.floating[Any]], starts: Ints) -> Floats:
    """How far the geometric mean of the power of each band is below the arithmetic one, in nepers: (n, BANDS).

    Noise has 0.6, a tone far more (spectral flatness, Gray & Markel 1974).
    """
    wide, found = np.diff(_edges()), []
    for power in _spectra(samples, starts, BODY_S):
        power += np.maximum(power.max(axis=1, keepdims=True) * FAINTEST, 1e-20)
        found.append(_sums(np.log(power)) / wide - np.log(_sums(power) / wide))
    return np.concatenate(found)


def _spectra(
    samples: npt.NDArray[np.floating[Any]], starts: Ints, span_s: tuple[float, float]
) -> Iterator[npt.NDArray[np.float64]]:
    """Power by frequency of a span round each start, PIECE hits at a time."""
    begin, end = (round(at * RATE_HZ) for at in span_s)
    window = np.hanning(end - begin + 2)[1:-1]
    for first in range(0, len(starts), PIECE):
        at = starts[first : first + PIECE, None] + np.arange(begin, end)
        outside = (at < 0) | (at >= len(samples))  # is silence; a padded copy of ten minutes would be 200 MB
        pieces = np.where(outside, 0.0, samples[np.clip(at, 0, len(samples) - 1)]) * window
        yield np.abs(np.fft.rfft(pieces, TRANSFORM, axis=1)) ** 2 / (window**2).sum()


@lru_cache(maxsize=1)
def _edges() -> Ints:
    return np.rint(np.array(BANDS_HZ) * TRANSFORM / RATE_HZ).astype(np.intp)


def _sums(values: Floats) -> Floats:
    """Values by frequency added up in each band."""
    below = np.concatenate([np.zeros((len(values), 1)), np.cumsum(values, axis=1)], axis=1)
    return np.asarray(np.diff(below[:, _edges()], axis=1))


def in_context(pictures: Floats) -> Floats:
    """Pictures of all hits of a recording, how far each is from their mean, and the mean: (n, 3 x PICTURE)."""
    mean = pictures.mean(axis=0)
    return np.concatenate([pictures, pictures - mean, np.broadcast_to(mean, pictures.shape)], axis=1)


@lru_cache(maxsize=3)
def _network(name: str) -> Network:
    return read_network(FITTED_FILE, name)


def hear_kinds(pictures: Floats) -> Heard:
    """What speaks for each kind. pictures: of all hits of a recording, (n, PICTURE), at least one."""
    features = in_context(pictures)
    odds = np.mean([_network(name).of(features) for name in NETWORKS], axis=0)
    told, drum = (1 / (1 + np.exp(-log_odds)) for log_odds in (odds, _network("drums").of(features)))
    return Heard(told[:, : len(KINDS)], told[:, len(KINDS)], told[:, len(KINDS) + 1], drum)
