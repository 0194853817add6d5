"""Whether a mix fits into a file: told before it is written, by how much it does not, where, and what is loud there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import PocketError, require_range

Floats = npt.NDArray[np.float64]
BLOCK = 1024  # samples, 23 ms: what is loud together is looked for in one of them
MOST_TOLD = 4
MOST_OFF_DB = 60.0
UNHEARD_DB = -20.0  # under the loudest: what is this much softer does not make the peak


@dataclass(frozen=True)
class MeasuredMix:
    """A mix, and of each thing in it the peaks (1.0 is full scale), one for each block of 1024 samples."""

    audio: Audio
    peaks: Mapping[str, Floats] = field(default_factory=dict)


@dataclass(frozen=True)
class Clipping:
    """How far a mix goes over full scale, when it does so most, and what is loudest then as (name, peak in dB)."""

    over_db: float
    at_s: float
    loudest: tuple[tuple[str, float], ...]

    @property
    def take_off_db(self) -> float:
        """The least that makes it fit, in tenths."""
        return float(np.ceil(round(self.over_db, 6) * 10) / 10)

    @property
    def words(self) -> str:
        minutes, seconds = divmod(self.at_s, 60)
        told = ", ".join(f"{name} {_signed(db)}" for name, db in self.loudest)
        there = f" Loudest there: {told}." if told else ""
        return (
            f"This would clip: it goes {self.over_db:.1f} dB over full scale, most at {minutes:.0f}:{seconds:04.1f}."
            f"{there} Take {self.take_off_db:.1f} dB off, turn those down, or write 32 bit."
        )


class WouldClipError(PocketError):
    """A mix that is louder than the file can hold."""

    def __init__(self, clipping: Clipping) -> None:
        super().__init__(clipping)
        self.clipping = clipping

    def __str__(self) -> str:
        return self.clipping.words


def block_peaks(samples: npt.NDArray[np.floating]) -> Floats:
    """Find the largest size in each block of 1024 samples.

    Parameters
    ----------
    samples
        Shape (frames, channels); 1.0 is full scale.

    Returns
    -------
    numpy.ndarray of float64
        Shape (blocks,), the last block as long as what is left.

    Examples
    --------
    >>> samples = np.zeros((2500, 2))
    >>> samples[1500, 1] = -0.8
    >>> block_peaks(samples).tolist()
    [0.0, 0.8, 0.0]
    """
    sizes = np.abs(samples).max(axis=1)
    if not len(sizes):
        return np.zeros(0)
    return np.maximum.reduceat(sizes, np.arange(0, len(sizes), BLOCK)).astype(np.float64)


def louder(one: Floats, other: Floats) -> Floats:
    """Block by block the larger of the two."""
    long, short = (one, other) if len(one) >= len(other) else (other, one)
    found = long.copy()
    found[: len(short)] = np.maximum(found[: len(short)], short)
    return found


def clipping_of(mixed: MeasuredMix) -> Clipping | None:
    """None when it fits."""
    samples = mixed.audio.samples
    sizes = np.abs(samples).max(axis=1)
    at = int(np.argmax(sizes))
    if sizes[at] <= 1.0:
        return None
    block = at // BLOCK
    peaks = {name: float(peaks[block]) for name, peaks in mixed.peaks.items() if block < len(peaks)}
    there = sorted(((name, _db(peak)) for name, peak in peaks.items() if peak > 0), key=lambda one: -one[1])
    loudest = tuple(one for one in there[:MOST_TOLD] if one[1] >= there[0][1] + UNHEARD_DB)
    return Clipping(_db(float(sizes[at])), at / mixed.audio.rate_hz, loudest)


def fitting(mixed: MeasuredMix, bits: int, *, take_off_db: float = 0.0, as_it_is: bool = False) -> Audio:
    """Make a mix fit into a file.

    Parameters
    ----------
    mixed
        The mix, and what is in it.
    bits
        16, 24 or 32 of the file; 32 bits hold it in any case.
    take_off_db
        Make it so many dB softer, 0 to 60.
    as_it_is
        What is over full scale is to be cut off.

    Raises
    ------
    WouldClipError
        When it does not fit into 16 or 24 bits even so: how far, where, and what is loudest there.
    BadValueError
        When more than 60 dB are to be taken off.

    Examples
    --------
    >>> loud = MeasuredMix(Audio(np.full((64, 1), 1.5, dtype=np.float32), 44_100, "mix"))
    >>> try:
    ...     fitting(loud, 16)
    ... except WouldClipError as error:
    ...     error.clipping.take_off_db
    3.6
    >>> round(float(fitting(loud, 16, take_off_db=3.6).samples.max()), 3)
    0.991
    """
    require_range("what is taken off", take_off_db, 0.0, MOST_OFF_DB, "dB")
    gain = np.float32(10 ** (-take_off_db / 20))
    softer = replace(mixed.audio, samples=mixed.audio.samples * gain) if take_off_db else mixed.audio
    if bits == 32 or as_it_is:
        return softer
    clipping = clipping_of(MeasuredMix(softer, {name: peaks * gain for name, peaks in mixed.peaks.items()}))
    if clipping:
        raise WouldClipError(clipping)
    return softer


def _db(size: float) -> float:
    return float(20 * np.log10(size))


def _signed(db: float) -> str:
    return f"{db:+.1f} dB".replace("-", "−")
