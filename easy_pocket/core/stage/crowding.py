"""Crowding: which sounds stand in each other's way, where in pitch and when, and a small change that helps.

Each sound is a level per third of an octave in windows of 60 ms. A level excites its neighbours too: it falls by 10 dB
a band upwards and 25 dB downwards (after Terhardt 1979). A sound is hidden in a band where another one excites it 6 dB
more within 30 ms, at both ears. What is lost is the share of its loudness (power to 0.23, after Stevens) that is so.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from scipy import fft, ndimage

from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.filters import bell, response_db
from easy_pocket.core.stage.stage import Unit, Value

Floats = npt.NDArray[np.float64]
WINDOW = 2646  # 60 ms, and a product of small primes
HOP = WINDOW // 2
WINDOWS_AT_ONCE = 48  # so that what is worked on stays near the processor
BANDS_HZ = 1000.0 * 2.0 ** (np.arange(-16, 13) / 3)  # 25 Hz to 16 kHz
UP_DB, DOWN_DB = 10.0, 25.0
HIDDEN_DB = 6.0
HEARD_DB = 30.0  # under its own loudest: what is softer of a sound is not missed
SILENT_DB = -90.0
LOUDNESS_POWER = 0.23
LEAST_LOST = 0.06  # of a sound's loudness: less is no crowding
CUTS_DB = (-3.0, -4.5, -6.0, -9.0)
DUCKS_DB = (-3.0, -5.0, -8.0)
MOST_CHANGE_DB = 1.5  # of the loudness of what a proposal changes
HELPS = 2 / 3  # what is still lost then, at most
PANS = (0.35, 0.6)
LATER_MS = (12.0, -12.0, 20.0, -20.0)
FAR_EAR_DB = -24.0  # at most so much softer a sound is at the ear it is turned from


@dataclass(frozen=True)
class Proposal:
    """A small change of one sound that leaves at least a third less hidden.

    A unit for its chain, another pan (-1 to 1), or so many ms later (negative: earlier).
    """

    where: str
    words: str
    unit: Unit | None = None
    pan: float | None = None
    later_ms: float = 0.0


@dataclass(frozen=True)
class Pair:
    """`hidden` is hidden by `by`: between low_hz and high_hz, at so many moments, by over_db on average.

    lost: share of its loudness. proposal: None where no small change helps.
    """

    hidden: str
    by: str
    low_hz: float
    high_hz: float
    moments: int
    over_db: float
    lost: float
    proposal: Proposal | None


@dataclass(frozen=True)
class Crowding:
    """levels_db: by place, the mean level of each band, shape (29,); pairs: the worst first."""

    levels_db: Mapping[str, Floats]
    pairs: tuple[Pair, ...]


def _bands() -> Floats:
    """Which share of each bin of a spectrum lies in each band: shape (bins, bands)."""
    bins = np.arange(WINDOW // 2 + 1) * RATE_HZ / WINDOW
    half = RATE_HZ / WINDOW / 2
    low, high = BANDS_HZ * 2 ** (-1 / 6), BANDS_HZ * 2 ** (1 / 6)
    inside = np.minimum(bins[:, None] + half, high) - np.maximum(bins[:, None] - half, low)
    return np.asarray(np.maximum(inside, 0) / (2 * half))


BANDS = _bands().astype(np.float32)
SHAPE = np.hanning(WINDOW).astype(np.float32)


def levels_of(line: npt.NDArray[np.floating]) -> Floats:
    """Levels in dB of a line of shape (2, frames): shape (windows, bands)."""
    frames = line.shape[1]
    padded = np.zeros(WINDOW // 2 + frames + WINDOW, dtype=np.float32)
    middle = padded[WINDOW // 2 : WINDOW // 2 + frames]
    np.add(line[0], line[1], out=middle, casting="same_kind")
    middle *= 0.5
    windows = np.lib.stride_tricks.sliding_window_view(padded, WINDOW)[::HOP]
    found = np.full((len(windows), len(BANDS_HZ)), SILENT_DB)
    halves = padded[: (len(windows) + 1) * HOP].reshape(-1, HOP)
    sounds = np.maximum(halves.max(axis=1), -halves.min(axis=1)) > 1e-5
    loud = np.flatnonzero(sounds[:-1] | sounds[1:])
    for start in range(0, len(loud), WINDOWS_AT_ONCE):
        some = loud[start : start + WINDOWS_AT_ONCE]
        spectra = fft.rfft(windows[some] * SHAPE, axis=1)
        power = (spectra.real**2 + spectra.imag**2) @ BANDS / (WINDOW * WINDOW * 3 / 16)
        found[some] = np.maximum(10 * np.log10(np.maximum(power, 1e-12)), SILENT_DB)
    return found


def spread(levels_db: Floats) -> Floats:
    """What the levels excite, each band the most that reaches it."""
    found = levels_db.copy()
    for band in range(1, found.shape[1]):
        np.maximum(found[:, band], found[:, band - 1] - UP_DB, out=found[:, band])
    for band in range(found.shape[1] - 2, -1, -1):
        np.maximum(found[:, band], found[:, band + 1] - DOWN_DB, out=found[:, band])
    return found


def _within_30_ms(excited: Floats) -> Floats:
    """The most in a window and its neighbours, which begin 30 ms before and after it."""
    return np.asarray(ndimage.maximum_filter1d(excited, 3, axis=0, mode="nearest"))


def _loudness(levels_db: Floats) -> Floats:
    """Of each band and window; 0 for what is not missed."""
    heard = levels_db > max(float(levels_db.max(initial=SILENT_DB)) - HEARD_DB, SILENT_DB + 1)
    return np.where(heard, 10 ** (LOUDNESS_POWER * levels_db / 10), 0.0)


@dataclass(frozen=True)
class _Heard:
    levels: Floats
    loudness: Floats
    excited: Floats
    near: Floats
    pan: float = 0.0


def _heard(levels_db: Floats, pan: float = 0.0) -> _Heard:
    excited = spread(levels_db)
    return _Heard(levels_db, _loudness(levels_db), excited, _within_30_ms(excited), pan)


def apart_db(pan: float, other: float) -> float:
    """How much louder a sound is than another one of the same size, at the ear where it has the better of it."""
    angle, beside = (np.pi / 4 * (one + 1) for one in (pan, other))
    ears = ((np.cos(angle), np.cos(beside)), (np.sin(angle), np.sin(beside)))
    least = 10 ** (FAR_EAR_DB / 20)
    return float(max(20 * np.log10(max(mine, least) / max(its, least)) for mine, its in ears))


def _hidden(one: _Heard, other: _Heard) -> npt.NDArray[np.bool_]:
    return (other.near > one.excited + HIDDEN_DB + apart_db(one.pan, other.pan)) & (one.loudness > 0)


def _lost(one: _Heard, other: _Heard) -> float:
    whole = float(one.loudness.sum())
    return float((one.loudness * _hidden(one, other)).sum()) / whole if whole else 0.0


def crowding(
    lines: Mapping[str, npt.NDArray[np.floating]],
    most: int = 3,
    pans: Mapping[str, float] | None = None,
    fixed: Collection[str] = (),
) -> Crowding:
    """Who hides whom over the music.

    Parameters
    ----------
    lines
        Sounds by place, shape (2, frames), all as long.
    most
        How many pairs are told.
    pans
        Where sounds stand that can be moved, -1 (left) to 1; others are in the middle and stay there.
    fixed
        Those of them that are not to be moved all the same.

    Returns
    -------
    Crowding
        Two sounds are one pair: the direction in which more is lost. Silence is in no pair.

    References
    ----------
    Terhardt (1979), "Calculating virtual pitch"; Stevens (1955) for loudness.
    """
    pans = pans or {}
    heard = {where: _heard(levels_of(line), pans.get(where, 0.0)) for where, line in lines.items()}
    ranked: dict[frozenset[str], tuple[float, str, str, float]] = {}
    for hidden, one in heard.items():
        weight = float(one.loudness.sum())
        if not weight:
            continue
        for by, other in heard.items():
            if by == hidden:
                continue
            lost = _lost(one, other)
            pair = frozenset((hidden, by))
            if lost >= LEAST_LOST and lost * weight > ranked.get(pair, (0.0,))[0]:
                ranked[pair] = (lost * weight, hidden, by, lost)
    worst = sorted(ranked.values(), reverse=True)[:most]
    movable = set(pans) - set(fixed)
    pairs = tuple(_pair(hidden, by, lost, heard, movable, lines) for _, hidden, by, lost in worst)
    means = {
        where: 10 * np.log10(np.maximum((10 ** (one.levels / 10)).mean(axis=0), 1e-9)) for where, one in heard.items()
    }
    return Crowding(means, pairs)


def _pair(
    hidden: str,
    by: str,
    lost: float,
    heard: Mapping[str, _Heard],
    movable: Collection[str],
    lines: Mapping[str, npt.NDArray[np.floating]],
) -> Pair:
    one, other = heard[hidden], heard[by]
    cells = _hidden(one, other)
    weights = (one.loudness * cells).sum(axis=0)
    top = int(np.argmax(weights))
    low = high = top
    while low > 0 and weights[low - 1] > 0.3 * weights[top]:
        low -= 1
    while high + 1 < len(weights) and weights[high + 1] > 0.3 * weights[top]:
        high += 1
    when = np.asarray(cells[:, low : high + 1].any(axis=1))
    over = (other.near - one.excited)[:, low : high + 1][cells[:, low : high + 1]]
    proposal = _cut(by, one, other, lost, low, high) or _duck(hidden, by, one, other, lost)
    proposal = proposal or _aside(hidden, by, one, other, lost, movable)
    if proposal is None and hidden in movable:
        proposal = _later(hidden, one, other, lost, lines[hidden])
    moments = int(np.count_nonzero(np.diff(when.astype(np.int64), prepend=0) > 0))
    low_hz, high_hz = float(BANDS_HZ[low]), float(BANDS_HZ[high])
    return Pair(hidden, by, low_hz, high_hz, moments, float(over.mean()), lost, proposal)


def _change_db(before: Floats, after: Floats) -> float:
    """How much louder a sound has become."""
    return float(10 * np.log10((10 ** (after / 10)).sum() / max(float((10 ** (before / 10)).sum()), 1e-12)))


def _cut(by: str, one: _Heard, other: _Heard, lost: float, low: int, high: int) -> Proposal | None:
    """A bell in what hides, as wide as where it does."""
    hz = float(np.sqrt(BANDS_HZ[low] * BANDS_HZ[high]))
    quality = float(np.clip(3 / (high - low + 1.5), 0.5, 4))
    for gain_db in CUTS_DB:
        less = other.levels + response_db(bell(hz, gain_db, quality), BANDS_HZ)
        if abs(_change_db(other.levels, less)) > MOST_CHANGE_DB:
            return None
        if _lost(one, _heard(less, other.pan)) <= HELPS * lost:
            settings = {"bell_1_hz": round(hz, 0), "bell_1_db": gain_db, "bell_1_q": round(quality, 1)}
            return Proposal(by, f"cut {{by}} by {-gain_db:g} dB at {hz:.0f} Hz", Unit("tone", settings=settings))
    return None


def _duck(hidden: str, by: str, one: _Heard, other: _Heard, lost: float) -> Proposal | None:
    """What hides steps back when the other strikes."""
    loud = one.loudness.sum(axis=1)
    strikes = ndimage.maximum_filter1d((np.diff(loud, prepend=0.0) > 0.3 * loud.max()).astype(float), 5, origin=-2)
    for depth_db in DUCKS_DB:
        less = other.levels + depth_db * strikes[:, None]
        if abs(_change_db(other.levels, less)) > MOST_CHANGE_DB:
            return None
        if _lost(one, _heard(less, other.pan)) <= HELPS * lost:
            settings: dict[str, Value] = {"by": hidden, "depth_db": depth_db, "hold_ms": 40.0, "release_ms": 120.0}
            return Proposal(by, f"{{by}} steps back {-depth_db:g} dB for {{hidden}}", Unit("duck", settings=settings))
    return None


def _aside(hidden: str, by: str, one: _Heard, other: _Heard, lost: float, movable: Collection[str]) -> Proposal | None:
    """One of both further to a side: what is hidden, or else what hides it; to the side it stands on, if it does."""
    for where, name in ((hidden, "hidden"), (by, "by")):
        if where not in movable:
            continue
        mine, its = (one, other) if name == "hidden" else (other, one)
        side = np.sign(mine.pan) or -np.sign(its.pan) or 1.0
        for pan in (float(side * wide) for wide in PANS if wide > abs(mine.pan)):
            moved = replace(mine, pan=pan)
            left = _lost(moved, other) if name == "hidden" else _lost(one, moved)
            if left <= HELPS * lost:
                words = f"move {{{name}}} to {abs(pan) * 100:.0f} {'right' if pan > 0 else 'left'}"
                return Proposal(where, words, pan=pan)
    return None


def _later(hidden: str, one: _Heard, other: _Heard, lost: float, line: npt.NDArray[np.floating]) -> Proposal | None:
    """What is hidden a little later, or earlier, than what hides it."""
    for later_ms in LATER_MS:
        moved = np.roll(line, round(later_ms / 1000 * RATE_HZ), axis=1)
        if _lost(_heard(levels_of(moved), one.pan), other) <= HELPS * lost:
            words = (
                f"lay {{hidden}} back {later_ms:.0f} ms" if later_ms > 0 else f"{{hidden}} {-later_ms:.0f} ms earlier"
            )
            return Proposal(hidden, words, later_ms=later_ms)
    return None
