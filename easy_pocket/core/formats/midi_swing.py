"""Swing that is played into the notes of a MIDI file: found, so that they are written on the 8th or 16th they swing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.stages import swung
from easy_pocket.core.pattern.timebase import PPQ

LEAST_NOTES = 3
LEAST_SHARE = 0.7  # of the notes between beats that swing along
LEAST_PERCENT, MOST_PERCENT = 52.5, 72.0  # nearer to the middle is a push, further off is a dotted note
TRIPLET_PERCENT = 100 * 2 / 3
SPREAD = 0.03  # of the pair, how far swung notes lie apart at most
NEAR_TICKS = 4


@dataclass(frozen=True)
class Swing:
    """percent: where the second note of a pair falls, 50 is straight. unit: the notes that swing, 8 or 16."""

    percent: float
    unit: int

    @property
    def pair_ticks(self) -> int:
        return 2 * 4 * PPQ // self.unit

    def moves(self, ticks: npt.NDArray[np.int64]) -> npt.NDArray[np.float64]:
        """How far it moves each place, in ticks."""
        pair, share = np.full(len(ticks), float(self.pair_ticks)), np.full(len(ticks), self.percent / 100)
        return np.asarray(swung(ticks, pair, share))


def found_swing(ticks: npt.NDArray[np.int64]) -> Swing | None:
    """The swing of 8ths, or of 16ths, that explains where these notes lie.

    Exact triplets are no swing: they have a grid of their own.

    Parameters
    ----------
    ticks
        Places of all notes, shape (n,), from the start of a bar.

    Returns
    -------
    Swing | None
        None where notes lie on their slots, or on no swing that they share.
    """
    for unit in (8, 16):
        pair = 2 * 4 * PPQ // unit
        phase = ticks % pair
        between = phase[(phase > NEAR_TICKS) & (phase < pair - NEAR_TICKS)]
        share = between / pair * 100
        swings = share[(share >= LEAST_PERCENT) & (share <= MOST_PERCENT)]
        if len(swings) < LEAST_NOTES or len(swings) < LEAST_SHARE * len(between):
            continue
        percent = float(np.median(swings))
        near = np.abs(swings - percent) <= 100 * SPREAD
        if near.mean() < LEAST_SHARE or abs(percent - TRIPLET_PERCENT) * pair / 100 <= NEAR_TICKS:
            continue
        return Swing(round(float(swings[near].mean()), 1), unit)
    return None
