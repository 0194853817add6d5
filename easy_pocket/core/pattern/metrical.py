"""How strong a place in the bar is, and what follows from it: syncopation."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt

from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.pattern.voices import band_of

Ints = npt.NDArray[np.int64]
WEAKEST = -5
# How much more a syncopation is felt in the kick than in the snare, and there than in the hats.
BAND_EXTRA = {"low": 2.0, "mid": 1.0, "high": 0.0, "all": 1.0}


@lru_cache(maxsize=64)
def levels(metre: Metre) -> tuple[int, ...]:
    """Ticks of ever finer levels of the metre: bar, half bar (or the pulses), pulse, its parts, theirs."""
    pulses = metre.bar_ticks // metre.pulse_ticks
    found = [metre.bar_ticks]
    if pulses % 2 == 0 and pulses > 2:
        found.append(metre.bar_ticks // 2)
    found.append(metre.pulse_ticks)
    part = metre.pulse_ticks // (3 if metre.compound else 2)
    while len(found) < -WEAKEST and part >= 1:
        found.append(part)
        part //= 2
    return tuple(dict.fromkeys(found))


def weights(ticks: npt.ArrayLike, metre: Metre) -> Ints:
    """Weigh places by the metre.

    Parameters
    ----------
    ticks
        Any shape.
    metre
        Of the bars they lie in.

    Returns
    -------
    numpy.ndarray of int64
        Of the same shape: 0 on the one, one less for every finer level, -5 at the least.

    Examples
    --------
    >>> weights([0, 1920, 960, 480, 240], Metre(4, 4)).tolist()
    [0, -1, -2, -3, -4]
    """
    inside = np.asarray(ticks, dtype=np.int64) % metre.bar_ticks
    steps = np.array(levels(metre), dtype=np.int64)
    on = inside[..., None] % steps == 0
    first = np.where(on.any(axis=-1), on.argmax(axis=-1), -WEAKEST)
    if not metre.compound:  # thirds of a pulse are as strong as its halves, theirs as halves of these
        pulse = int(np.flatnonzero(steps == metre.pulse_ticks)[0])
        third = metre.pulse_ticks // 3
        first = np.where(inside % third == 0, np.minimum(first, pulse + 1), first)
        first = np.where(inside % max(third // 2, 1) == 0, np.minimum(first, pulse + 2), first)
    return np.asarray(np.maximum(-first, WEAKEST), dtype=np.int64)


def syncopation(pattern: Pattern, begin: int = 0, end: int | None = None) -> float:
    """Measure how much a pattern pulls against its metre.

    Each hit that is followed, in its band, by silence on a stronger place counts the difference in weight, plus 2 in
    the low band and 1 in the middle.

    Parameters
    ----------
    pattern
        Its voices are gathered into the bands low, mid and high.
    begin, end
        Ticks of the stretch that is measured; end None: to the end.

    Returns
    -------
    float
        A beat; 0 when nothing is syncopated.

    References
    ----------
    After Witek et al. (2014), who weigh streams of instruments; here the streams are the bands.

    Examples
    --------
    >>> from easy_pocket.core.pattern.pattern import Hit, Pattern
    >>> on_the_beat = Pattern(3840, tuple(Hit("kick", tick, 110) for tick in range(0, 3840, 960)))
    >>> syncopation(on_the_beat)
    0.0
    >>> off_the_beat = Pattern(3840, tuple(Hit("kick", tick + 720, 110) for tick in range(0, 3840, 960)))
    >>> syncopation(off_the_beat) > 2
    True
    """
    end = pattern.length_ticks if end is None else end
    metre, columns = pattern.metre, pattern.arrays
    strong = _counted_places(columns.tick, metre, begin, end)
    strong_weight = weights(strong, metre)
    bands = np.array([band_of(voice) for voice in columns.voices], dtype=object)
    total = 0.0
    for band, extra in BAND_EXTRA.items():
        chosen = np.flatnonzero(bands == band)
        mine = np.isin(columns.voice_index, chosen) & (columns.tick >= begin) & (columns.tick < end)
        ticks = np.unique(columns.tick[mine])
        if not len(ticks):
            continue
        total += _of_stream(ticks, strong, strong_weight, metre, extra, end)
    beats = (end - begin) / metre.pulse_ticks
    return total / beats if beats else 0.0


def _counted_places(ticks: Ints, metre: Metre, begin: int, end: int) -> Ints:
    """The places one counts along on: 16ths, in beats that hold triplets thirds."""
    pulse = metre.pulse_ticks
    step = max(pulse // (6 if metre.compound else 4), 1)
    straight = np.arange(-(-begin // step) * step, end, step, dtype=np.int64)
    if metre.compound:
        return straight
    third = max(pulse // 3, 1)
    turned = np.unique(ticks[(ticks % step != 0) & (ticks % max(third // 2, 1) == 0)] // pulse)
    thirds = np.arange(-(-begin // third) * third, end, third, dtype=np.int64)
    kept = np.concatenate([straight[~np.isin(straight // pulse, turned)], thirds[np.isin(thirds // pulse, turned)]])
    return np.asarray(np.sort(kept), dtype=np.int64)


def _of_stream(ticks: Ints, strong: Ints, strong_weight: Ints, metre: Metre, extra: float, end: int) -> float:
    """Of hits of one band, in order: the strongest silent place between each and the next."""
    own = weights(ticks, metre)
    following = np.append(ticks[1:], end)
    first, last = np.searchsorted(strong, ticks, side="right"), np.searchsorted(strong, following, side="left")
    between = np.arange(len(strong))[None, :]
    silent = (between >= first[:, None]) & (between < last[:, None])
    rest = np.where(silent, strong_weight[None, :], WEAKEST - 1).max(axis=1, initial=WEAKEST - 1)
    felt = rest > own
    return float(((rest - own + extra) * felt).sum())
