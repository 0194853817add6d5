"""Drift apart from jitter: residual maximum likelihood of a 1/f^b process that slots share, and of white noise.

The likelihood is that of Patterson and Thompson (1971), with what is shared written out by the matrix inversion lemma,
so that only slots, not hits, are inverted. It is taken on a coarse net of slopes and ratios and joined smoothly; the
figures are means over it, their intervals shares of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import interpolate, linalg, stats

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
STRETCH = 4096  # slots over which the process has a variance of 1
SLOPES = np.linspace(0.0, 2.0, 5)
RATIOS = np.log(np.array([0.003, 0.02, 0.1, 0.35, 1.0, 3.0, 12.0, 60.0]))  # of variances, drift to jitter
FINE = 61
NARROW, MOST_ZOOMS = 5, 4
ROUGH_SLOTS = 320
SHORT_SLOPE = 0.3
SMOOTH = 40.0  # a net whose likelihoods differ by less than this can be joined smoothly
COVERS = (0.025, 0.975)  # as few hits say little of slow things, 95 % to hold the truth in 90
DRAWS = 400
MOST_SLOTS = 600  # of one stretch that is worked on at once


@dataclass(frozen=True)
class Figure:
    """A value, and what it lies between with 90 % certainty at least."""

    value: float
    low: float
    high: float


@dataclass(frozen=True)
class Stretch:
    """Hits of one take in a row.

    slot: of each hit, counted through the take; cell: which mean it has; y: in ms; weight: above 0.
    """

    slot: Ints
    cell: Ints
    y: Floats
    weight: Floats


@dataclass(frozen=True)
class WanderFit:
    """Standard deviations and slope, and the means of the cells with their standard errors."""

    drift_sd: Figure
    jitter_sd: Figure
    slope: Figure
    means: Floats
    errors: Floats
    freedom: int


def autocovariance(slope: float) -> Floats:
    """Of the 1/f^slope process of variance 1 that comes round after STRETCH slots: shape (STRETCH,)."""
    power = np.zeros(STRETCH // 2 + 1)
    power[1:] = np.arange(1, STRETCH // 2 + 1) ** -slope
    found = np.fft.irfft(power, STRETCH)
    return np.asarray(found / found[0])


class _Piece:
    """A stretch with what its likelihood needs of it."""

    def __init__(self, stretch: Stretch, cells: int) -> None:
        self.slots, index = np.unique(stretch.slot, return_inverse=True)
        count = len(self.slots)
        columns = np.zeros((len(stretch.y), cells + 1))
        columns[np.arange(len(stretch.y)), stretch.cell] = 1.0
        columns[:, -1] = stretch.y
        weighted = columns * stretch.weight[:, None]
        self.plain = columns.T @ weighted
        self.by_slot = np.zeros((count, cells + 1))
        np.add.at(self.by_slot, index, weighted)
        self.load = np.bincount(index, stretch.weight, count)
        self.apart = np.abs(self.slots[:, None] - self.slots[None, :]) % STRETCH

    def shared(self, slope: float) -> tuple[Floats, float]:
        """The inverse of the covariance of the drift, and its log determinant."""
        covariance = autocovariance(slope)[self.apart]
        covariance[np.diag_indices(len(covariance))] += 1e-9
        lower = linalg.cholesky(covariance, lower=True, check_finite=False)
        inverse = linalg.cho_solve((lower, True), np.eye(len(covariance)), check_finite=False)
        return np.asarray(inverse), 2 * float(np.log(np.diag(lower)).sum())

    def normal(self, inverse: Floats, log_det: float, ratio: float) -> tuple[Floats, float]:
        """Products of the columns over the inverse covariance (jitter 1), and its log determinant."""
        mixed = inverse / ratio
        mixed[np.diag_indices(len(mixed))] += self.load
        lower = linalg.cholesky(mixed, lower=True, check_finite=False)
        half = linalg.solve_triangular(lower, self.by_slot, lower=True, check_finite=False)
        own = len(mixed) * np.log(ratio) + log_det + 2 * float(np.log(np.diag(lower)).sum())
        return self.plain - half.T @ half, own


def fit_wander(stretches: Sequence[Stretch], cells: int, seed: int = 1) -> WanderFit:
    """Fit drift, jitter and slope with a mean for each cell.

    Parameters
    ----------
    stretches
        Takes; each with hits of at least one cell. Longer ones are worked on in pieces.
    cells
        How many means there are; every one has a hit.
    seed
        What the draws for the intervals are drawn by.
    """
    pieces = [_Piece(part, cells) for stretch in stretches for part in _cut(stretch)]
    count = sum(len(stretch.y) for stretch in stretches)
    freedom = count - cells
    slopes, ratios = SLOPES, RATIOS
    long = sum(len(piece.slots) for piece in pieces) > ROUGH_SLOTS
    net = _rough(stretches, cells) if long else _net(pieces, slopes, ratios, freedom)
    for _ in range(MOST_ZOOMS):
        if not long and float(np.ptp(net.log_like)) < SMOOTH:
            break
        row, column = np.unravel_index(int(net.log_like.argmax()), net.log_like.shape)
        slopes, ratios = _around(slopes, int(row), 0.0, 2.5), _around(ratios, int(column), -7.0, 6.0)
        net, long = _net(pieces, slopes, ratios, freedom), False
    fine_slopes, fine_ratios = np.linspace(slopes[0], slopes[-1], FINE), np.linspace(ratios[0], ratios[-1], FINE)
    fine = interpolate.RectBivariateSpline(slopes, ratios, net.log_like)(fine_slopes, fine_ratios)
    share = np.exp(fine - fine.max())
    share /= share.sum()
    log_rest = interpolate.RectBivariateSpline(slopes, ratios, np.log(net.rest))(fine_slopes, fine_ratios)
    log_left = np.interp(fine_slopes, slopes, np.log([variance_left(stretches, slope) for slope in slopes.tolist()]))
    dice = np.random.default_rng(seed)
    drawn = dice.choice(share.size, DRAWS * 10, p=share.ravel())
    at_slope, at_ratio = np.unravel_index(drawn, share.shape)
    jitter_sd = np.exp(log_rest[at_slope, at_ratio] / 2) / np.sqrt(dice.chisquare(freedom, len(drawn)))
    drift_sd = jitter_sd * np.exp((fine_ratios[at_ratio] + log_left[at_slope]) / 2)
    slope, ratio = float(fine_slopes[at_slope].mean()), float(np.exp(np.median(fine_ratios[at_ratio])))
    means, errors = _means(pieces, slope, ratio, freedom)
    means += _middle(stretches, means)
    slope_figure = _figure(fine_slopes[at_slope])
    slots = sum(len(piece.slots) for piece in pieces)
    more = SHORT_SLOPE / np.sqrt(slots / 64)  # how a drift goes on beyond a short take is not in it
    slope_figure = Figure(slope_figure.value, float(slope_figure.low - more), float(slope_figure.high + more))
    return WanderFit(_figure(drift_sd), _figure(jitter_sd), slope_figure, means, errors, freedom)


def _rough(stretches: Sequence[Stretch], cells: int) -> _Net:
    """Where the best lies, by the first slots of a long take."""
    first = min(stretches, key=lambda one: -len(one.y))
    own = first.slot < first.slot.min() + ROUGH_SLOTS
    part = Stretch(first.slot[own], first.cell[own], first.y[own], first.weight[own])
    freedom = max(int(own.sum()) - len(np.unique(part.cell)), 1)
    return _net([_Piece(part, cells)], SLOPES, RATIOS, freedom)


@dataclass(frozen=True)
class _Net:
    """By slope and ratio: log likelihood, and the sum of squares left."""

    log_like: Floats
    rest: Floats


def _net(pieces: list[_Piece], slopes: Floats, ratios: Floats, freedom: int) -> _Net:
    log_like = np.zeros((len(slopes), len(ratios)))
    rest = np.zeros_like(log_like)
    for row, slope in enumerate(slopes.tolist()):
        shared = [piece.shared(slope) for piece in pieces]
        for column, ratio in enumerate(np.exp(ratios).tolist()):
            log_like[row, column], rest[row, column] = _likelihood(pieces, shared, ratio, freedom)
    return _Net(log_like, rest)


def variance_left(stretches: Sequence[Stretch], slope: float) -> float:
    """Of a drift of variance 1, around its own middle in takes as short as these."""
    covariance = autocovariance(slope)
    found, weights = [], []
    for one in stretches:
        length = int(np.ptp(one.slot)) + 1
        lags = np.arange(length)
        share = np.where(lags == 0, 1.0, 2.0) * (length - lags) / length**2
        found.append(1.0 - float((covariance[lags % STRETCH] * share).sum()))
        weights.append(length)
    return max(float(np.average(found, weights=weights)), 1e-6)


def _around(values: Floats, at: int, lowest: float, highest: float) -> Floats:
    """A finer net around the best of one: a step to either side of it."""
    step = float(np.diff(values).max())
    return np.linspace(max(values[at] - step, lowest), min(values[at] + step, highest), NARROW)


def _middle(stretches: Sequence[Stretch], means: Floats) -> float:
    """What all hits lie beside the means: a drift is one around its own middle, which belongs to the means."""
    rests = np.concatenate([one.y - means[one.cell] for one in stretches])
    return float(np.average(rests, weights=np.concatenate([one.weight for one in stretches])))


def _cut(stretch: Stretch) -> list[Stretch]:
    piece = (stretch.slot - stretch.slot.min()) // MOST_SLOTS
    return [
        Stretch(stretch.slot[own], stretch.cell[own], stretch.y[own], stretch.weight[own])
        for number in np.unique(piece).tolist()
        for own in [piece == number]
    ]


def _figure(values: Floats) -> Figure:
    low, high = np.quantile(values, COVERS)
    return Figure(float(np.median(values)), float(low), float(high))


def _likelihood(
    pieces: list[_Piece], shared: list[tuple[Floats, float]], ratio: float, freedom: int
) -> tuple[float, float]:
    """Restricted log likelihood, and the sum of squares left."""
    products, log_det = _together(pieces, shared, ratio)
    cells = products[:-1, :-1]
    lower = linalg.cholesky(cells + 1e-9 * np.eye(len(cells)), lower=True, check_finite=False)
    half = linalg.solve_triangular(lower, products[:-1, -1], lower=True, check_finite=False)
    rest = max(float(products[-1, -1] - half @ half), 1e-6)
    own = 2 * float(np.log(np.diag(lower)).sum())
    return -0.5 * (freedom * np.log(rest / freedom) + log_det + own), rest


def _together(pieces: list[_Piece], shared: list[tuple[Floats, float]], ratio: float) -> tuple[Floats, float]:
    found = [piece.normal(one[0], one[1], ratio) for piece, one in zip(pieces, shared, strict=True)]
    return np.sum([one[0] for one in found], axis=0), float(sum(one[1] for one in found))


def _means(pieces: list[_Piece], slope: float, ratio: float, freedom: int) -> tuple[Floats, Floats]:
    """The cells' means by generalised least squares, with their standard errors."""
    products, _ = _together(pieces, [piece.shared(slope) for piece in pieces], ratio)
    cells = products[:-1, :-1] + 1e-9 * np.eye(len(products) - 1)
    inverse = np.linalg.inv(cells)
    means = inverse @ products[:-1, -1]
    rest = max(float(products[-1, -1] - products[:-1, -1] @ means), 1e-6)
    return np.asarray(means), np.sqrt(np.maximum(np.diag(inverse), 0) * rest / freedom)


def t_interval(value: float, error: float, freedom: int) -> Figure:
    """A mean with its interval by Student's t.

    Parameters
    ----------
    value
        The mean.
    error
        Its standard error.
    freedom
        Degrees of freedom.

    Returns
    -------
    Figure
        The figure with its interval.
    """
    wide = float(stats.t.ppf(COVERS[1], max(freedom, 1))) * error
    return Figure(value, value - wide, value + wide)
