"""What kind of sound a hit in a loop is: kick, snare, hat, tom or another cymbal, or two at once.

A picture of the hit - level by band in three spans after its start, and of what rang before - is compared with known
ones: least squares on Gaussian kernels (Suykens & Vandewalle 1999), one output per kind, so that a hit can be several.
Fitted by `tools/fit kinds` on loops made for it.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.core.listen.preparation import RATE_HZ

Floats = npt.NDArray[np.float64]

KINDS = ("kick", "snare", "hat", "tom", "cymbal")
FITTED_FILE = Path(__file__).with_name("drum_classifier.npz")
SPANS_S = ((0.0, 0.010), (0.010, 0.030), (0.030, 0.075))
BEFORE_S = (-0.030, -0.004)
BANDS_HZ = (
    30, 55, 75, 95, 120, 150, 190, 240, 320, 450, 650, 900, 1250, 1750, 2500, 3600, 5000, 7000, 10_000, 14_000, 20_000,
)  # fmt: skip
HIGH_BAND = 9  # the first one above 400 Hz
RINGS_ON = 0.8  # how much of what rang before still does
FLOOR_DB = -50.0
TRANSFORM = 4096
KERNEL_WIDTH = 0.55
PIECE = 512  # hits looked at together


def onset_pictures(mono: npt.NDArray[np.floating[Any]], times_s: Floats) -> Floats:
    """Picture each hit by its energy: shape (hits, 82).

    New energy by three spans and 20 bands in dB below the hit's loudest cell (bands above 400 Hz below their own
    loudest, so that a bass does not hide them), what rang before likewise, how far apart the two are, and the hit's
    level in dB below the loop's loud hits. mono: 44.1 kHz, shape (frames,).
    """
    if not len(times_s):
        return np.zeros((0, 4 * (len(BANDS_HZ) - 1) + 2))
    starts = np.rint(times_s * RATE_HZ).astype(np.intp)
    spans = [_energy(mono, starts, span) for span in SPANS_S]
    before = _energy(mono, starts, BEFORE_S)
    new = np.stack([np.maximum(span - RINGS_ON * before, 0.02 * span) for span in spans], axis=1)
    loudest = np.maximum(new.max(axis=(1, 2)), 1e-20)
    upper = np.maximum(new[:, :, HIGH_BAND:].max(axis=(1, 2)), loudest * 10 ** (FLOOR_DB / 10))
    against = np.where(np.arange(len(BANDS_HZ) - 1) < HIGH_BAND, loudest[:, None], upper[:, None])
    shape = 10 * np.log10(new / against[:, None] + 10 ** (FLOOR_DB / 10))
    rang = 10 * np.log10(np.minimum(before / against, 1e3) + 10 ** (FLOOR_DB / 10))
    apart_db = 10 * np.log10(upper / loudest)
    level_db = 10 * np.log10(loudest / max(float(np.percentile(loudest, 95)), 1e-20))
    levels = np.maximum(np.stack([apart_db, level_db], axis=1), FLOOR_DB)
    return np.concatenate([shape.reshape(len(times_s), -1), rang, levels], axis=1)


def _energy(
    samples: npt.NDArray[np.floating[Any]], starts: npt.NDArray[np.intp], span_s: tuple[float, float]
) -> Floats:
    """Mean power of each band in a span round each start: (n, bands)."""
    begin, end = (round(at * RATE_HZ) for at in span_s)
    window = np.hanning(end - begin + 2)[1:-1]
    edges = np.rint(np.array(BANDS_HZ) * TRANSFORM / RATE_HZ).astype(int)
    found = np.empty((len(starts), len(BANDS_HZ) - 1))
    for first in range(0, len(starts), PIECE):
        at = starts[first : first + PIECE, None] + np.arange(begin, end)
        outside = (at < 0) | (at >= len(samples))  # is silence; a padded copy of ten minutes would be 200 MB
        pieces = np.where(outside, 0.0, samples[np.clip(at, 0, len(samples) - 1)]) * window
        power = np.abs(np.fft.rfft(pieces, TRANSFORM, axis=1)) ** 2
        below = np.concatenate([np.zeros((len(power), 1)), np.cumsum(power, axis=1)], axis=1)
        found[first : first + PIECE] = np.diff(below[:, edges], axis=1)
    return np.asarray(found / (window**2).sum())


def kernel(pictures: Floats, known: Floats) -> Floats:
    """How alike pictures are, 0-1: shape (pictures, known)."""
    distance = (pictures**2).sum(axis=1)[:, None] + (known**2).sum(axis=1)[None] - 2 * pictures @ known.T
    return np.asarray(np.exp(-KERNEL_WIDTH * distance / pictures.shape[1]))


@lru_cache(maxsize=1)
def _fitted() -> dict[str, Floats]:
    with np.load(FITTED_FILE, allow_pickle=False) as stored:
        return {name: stored[name].astype(np.float64) for name in stored.files if name != "made"}


def kind_scores(pictures: Floats) -> tuple[Floats, Floats]:
    """What speaks for each of KINDS, about 0 to 1 each.

    (n, 5); and how alike each picture is to the one known that is most like it, 0-1: (n,).
    """
    fitted = _fitted()
    scaled = (pictures - fitted["middle"]) / fitted["width"]
    scores, likeness = np.zeros((len(scaled), len(KINDS))), np.zeros(len(scaled))
    for start in range(0, len(scaled), PIECE):
        alike = kernel(scaled[start : start + PIECE], fitted["known"])
        scores[start : start + PIECE] = np.clip(alike @ fitted["weights"] + fitted["bias"], 0.0, 1.0)
        likeness[start : start + PIECE] = alike.max(axis=1)
    return scores, likeness
