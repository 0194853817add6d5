"""How late a device is: tapped along to clicks, measured, strays left out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.text import counted

Floats = npt.NDArray[np.float64]
FEWEST_TAPS, MOST_TAPS = 6, 256
WIDEST = 3.0  # robust standard deviations; what lies further out is left out
LEAST_MS = 4.0  # taps nearer to the middle than this are never strays
DRIFTS_MS = 6.0  # from the first tap to the last


@dataclass(frozen=True)
class Latency:
    """How late a device is.

    latency_ms: the middle of the taps that count. spread_ms: their standard deviation. error_ms: how far the middle
    may be off (two standard errors). counts: which taps count. drift_ms: how far they move from the first to the last;
    drifts: whether that is more than chance.
    """

    latency_ms: float
    spread_ms: float
    error_ms: float
    counts: tuple[bool, ...]
    drift_ms: float
    drifts: bool

    @property
    def words(self) -> str:
        out = sum(not one for one in self.counts)
        told = f"{counted(len(self.counts), 'tap')} along, {out} left out" if out else counted(len(self.counts), "tap")
        if self.drifts:
            told += f"; they drift by {self.drift_ms:+.0f} ms: measure again".replace("-", "−")
        return told


def measure_latency(clicks_ms: Sequence[float], taps_ms: Sequence[float]) -> Latency:
    """From when clicks were given to the ear's clock, and when taps arrived, both in ms on one clock.

    Each tap belongs to the nearest click once the middle of all is taken off, so that a late device is measured up to
    most of the distance of two clicks. Of two taps for one click the nearer counts. The middle is the median of those
    within three robust standard deviations (1.4826 times the median distance).

    Raises
    ------
    BadValueError
        For fewer than six taps, or taps spread so wide that they say nothing.
    """
    require_range("The number of taps", len(taps_ms), 0, MOST_TAPS)
    clicks, taps = np.sort(np.asarray(clicks_ms, dtype=np.float64)), np.asarray(taps_ms, dtype=np.float64)
    if len(taps) < FEWEST_TAPS or len(clicks) < FEWEST_TAPS:
        raise BadValueError(f"{counted(len(taps), 'tap')} came; {FEWEST_TAPS} are needed at least: tap along again.")
    apart_ms = float(np.median(np.diff(clicks)))
    nearest, late_ms = _late(clicks, taps, apart_ms)
    middle = float(np.median(late_ms))
    nearer = np.lexsort((np.abs(late_ms - middle), nearest))
    first = np.zeros(len(taps), dtype=np.bool_)
    first[nearer[np.r_[True, np.diff(nearest[nearer]) > 0]]] = True
    wide = max(1.4826 * float(np.median(np.abs(late_ms - middle))), LEAST_MS / WIDEST)
    counts = first & (np.abs(late_ms - middle) <= WIDEST * wide)
    if wide > apart_ms / 6:
        raise BadValueError(
            f"The taps lie ±{wide:.0f} ms around their middle, too wide to measure by: tap along once more."
        )
    good = late_ms[counts]
    latency = float(np.median(good))
    spread = float(good.std(ddof=1))
    slope, error = _slope(taps[counts], good)
    span = float(taps.max() - taps.min())
    drift = slope * span
    drifts = abs(drift) > DRIFTS_MS and abs(slope) > 3 * error
    # The median of normal values is 1.25 times as uncertain as their mean.
    return Latency(
        latency, spread, 2 * 1.2533 * spread / np.sqrt(len(good)), tuple(counts.tolist()), drift, bool(drifts)
    )


def _late(clicks: Floats, taps: Floats, apart_ms: float) -> tuple[npt.NDArray[np.intp], Floats]:
    """The click of each tap, and how late it is: between a quarter of their distance early and three quarters late."""
    turn = np.mod(taps - clicks[0], apart_ms) / apart_ms * 2 * np.pi
    middle_ms = float(np.angle(np.exp(1j * turn).mean()) / (2 * np.pi) * apart_ms)
    if middle_ms < -apart_ms / 4:
        middle_ms += apart_ms
    nearest = np.abs((taps - middle_ms)[:, None] - clicks[None, :]).argmin(axis=1)
    return nearest, np.asarray(taps - clicks[nearest])


def _slope(time_ms: Floats, late_ms: Floats) -> tuple[float, float]:
    """Of a straight line through them, with its standard error."""
    centred = time_ms - time_ms.mean()
    total = float((centred**2).sum())
    if total <= 0 or len(time_ms) < 3:
        return 0.0, np.inf
    slope = float((centred * late_ms).sum() / total)
    rest = late_ms - late_ms.mean() - slope * centred
    return slope, float(np.sqrt((rest**2).sum() / (len(rest) - 2) / total))
