"""Bars of a long recording worth keeping as a loop: the most typical ones, and those played nearest the grid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.listen.groove import slots_and_offsets
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading

Floats = npt.NDArray[np.float64]
LENGTHS = (1, 2, 4)  # bars of what is proposed
EARLY_S = 0.035  # a hit so little before a bar line belongs to the bar after it
LEAD_S = 0.002  # before such a hit
FADE_S = 0.002


@dataclass(frozen=True)
class Proposal:
    """Bars worth keeping, the first counted from 1, and why."""

    from_bar: int
    bars: int
    words: str


def bar_pictures(onsets: Onsets, reading: Reading) -> Floats:
    """What is struck in every slot of every bar, by low, middle and high: shape (bars, slots, 3), the loudest 1."""
    slot, _ = slots_and_offsets(onsets, reading)
    per_bar = reading.slots_per_bar
    picture = np.zeros((reading.bars * per_bar, 3))
    index = slot.astype(np.intp)
    inside = (index >= 0) & (index < len(picture))
    np.maximum.at(picture, index[inside], (onsets.strength[:, None] * np.sqrt(onsets.bands))[inside])
    return picture.reshape(reading.bars, per_bar, 3) / max(float(picture.max()), 1e-9)


def proposals(onsets: Onsets, reading: Reading) -> list[Proposal]:
    """Bars that could be kept as a loop.

    Parameters
    ----------
    onsets
        Hits that were heard.
    reading
        How their bars are read.

    Returns
    -------
    list of Proposal
        Of one, two and four bars the most typical ones: nearest, on average, to all others that are as long; and of two
        (or one) those that are played nearest to the grid. Empty for fewer than three bars, or without hits.
    """
    if reading.bars < 3 or not len(onsets):
        return []
    pictures = bar_pictures(onsets, reading)
    found: list[Proposal] = []
    for bars in LENGTHS:
        if bars > reading.bars / 2:
            continue
        spans = np.stack([pictures[at : at + bars].ravel() for at in range(reading.bars - bars + 1)])
        apart = np.sqrt(((spans - spans.mean(axis=0)) ** 2).sum(axis=1))
        # Empty bars are like each other, and nobody wants them.
        apart = np.where(spans.sum(axis=1) < 0.5 * np.median(spans.sum(axis=1)), np.inf, apart)
        at = int(apart.argmin())
        found.append(Proposal(at + 1, bars, "the most typical bar" if bars == 1 else f"the most typical {bars} bars"))
    steady = _steadiest(onsets, reading, 2 if reading.bars >= 4 else 1)
    return [*found, steady] if steady else found


def _steadiest(onsets: Onsets, reading: Reading, bars: int) -> Proposal | None:
    slot, offset_ms = slots_and_offsets(onsets, reading)
    bar = slot.astype(np.intp) // reading.slots_per_bar
    spreads = np.full(reading.bars - bars + 1, np.inf)
    usual = len(onsets) / reading.bars * bars
    for at in range(len(spreads)):
        inside = (bar >= at) & (bar < at + bars)
        if inside.sum() >= max(3, 0.6 * usual):
            spreads[at] = float(np.std(offset_ms[inside]))
    at = int(spreads.argmin())
    if not np.isfinite(spreads[at]):
        return None
    return Proposal(at + 1, bars, f"nearest the grid, {spreads[at]:.0f} ms round it")


def kept_bars(audio: Audio, onsets: Onsets, reading: Reading, from_bar: int, bars: int) -> tuple[Audio, float]:
    """Cut bars out of a recording, and where in them bar one begins.

    Parameters
    ----------
    audio
        The recording.
    onsets
        Hits that were heard in it.
    reading
        How its bars are read.
    from_bar
        The first of them, counted from 1.
    bars
        How many.

    Returns
    -------
    tuple[Audio, float]
        The bars, exactly as long as they are, with fades of 2 ms; and seconds from the start to bar one: 0, unless the
        first hit came early, which is not cut off.

    Raises
    ------
    BadValueError
        When the recording has no such bars.
    """
    if from_bar < 1 or bars < 1 or from_bar + bars - 1 > reading.bars:
        raise BadValueError(
            f"Bars {from_bar} to {from_bar + bars - 1} are not all there: this recording has {reading.bars}."
        )
    per_bar = reading.slots_per_bar
    first_s, end_s = reading.time_at(np.array([(from_bar - 1) * per_bar, (from_bar - 1 + bars) * per_bar])).tolist()
    many = f"bars {from_bar}-{from_bar + bars - 1}" if bars > 1 else f"bar {from_bar}"
    return cut_exactly(audio, onsets.time_s, first_s, end_s - first_s, many)


def cut_exactly(audio: Audio, hits_s: Floats, first_s: float, length_s: float, what: str) -> tuple[Audio, float]:
    """Cut so many seconds out of a recording, but a first hit that comes early is not cut off.

    Parameters
    ----------
    audio
        The recording; what reaches past its end goes on at its beginning.
    hits_s
        When the hits near its beginning are, in seconds, in order.
    first_s
        From where it is cut, in seconds.
    length_s
        How long, in seconds.
    what
        What it is, as its name says it after the recording's.

    Returns
    -------
    tuple[Audio, float]
        Exactly round(length_s x rate) samples with fades of 2 ms, and seconds from their start to `first_s`.
    """
    early = hits_s[(hits_s >= first_s - EARLY_S) & (hits_s < first_s)]
    lead_s = min(float(first_s - early[0]) + LEAD_S, first_s) if len(early) and first_s > 0 else 0.0
    start, count = round((first_s - lead_s) * audio.rate_hz), round(length_s * audio.rate_hz)
    samples = np.take(audio.samples, np.arange(start, start + count), axis=0, mode="wrap").copy()
    fade = np.linspace(0.0, 1.0, max(int(FADE_S * audio.rate_hz), 2), dtype=np.float32)[:, None]
    if start > 0:
        samples[: len(fade)] *= fade
    samples[-len(fade) :] *= fade[::-1]
    stem = audio.name.rsplit(".", 1)[0][:60]
    return Audio(samples, audio.rate_hz, f"{stem}, {what}.wav"), lead_s
