"""What was found in a loop, as a performance and as one side of a timing comparison."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.stages import TIME_STAGES, VELOCITY_STAGES
from easy_pocket.core.feel.timing_comparison import BANDS, Side, side_of
from easy_pocket.core.listen.groove import LANE_SHARE, slots_and_offsets
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.pattern.pattern import HitArrays
from easy_pocket.core.pattern.timebase import ms_per_tick

Floats = npt.NDArray[np.float64]


def loop_performance(onsets: Onsets, reading: Reading, tempo_bpm: float) -> Performance:
    """What was heard in a loop as a performance at a tempo.

    Its voices are the bands low, mid and high (each hit is of its strongest), written on the slots of the reading.
    Hits before its bar one are left out.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    tempo_bpm
        Quarter notes a minute.

    Returns
    -------
    Performance
        Hits in the bands low, mid and high.
    """
    return _heard(onsets, reading, tempo_bpm)[0]


def side_of_loop(onsets: Onsets, reading: Reading, name: str, tempo_bpm: float) -> Side:
    """What was heard in a loop, counted in its bars and brought to a tempo; hits know all bands they are of.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    name
        What it is called.
    tempo_bpm
        Quarter notes a minute.

    Returns
    -------
    Side
        The side, for `timing_comparison.gap`.
    """
    performance, bands = _heard(onsets, reading, tempo_bpm)
    order = np.argsort(performance.loop_ms, kind="stable")
    return replace(side_of(performance, name), bands=bands[order] >= LANE_SHARE, heard=True)


def _heard(onsets: Onsets, reading: Reading, tempo_bpm: float) -> tuple[Performance, Floats]:
    """The performance, and the share of each band in its hits, in its order."""
    per_slot, tick_ms = reading.metre.bar_ticks / reading.slots_per_bar, ms_per_tick(tempo_bpm)
    total = reading.slots_per_bar * reading.bars
    slot, offset_ms = slots_and_offsets(onsets, reading)
    order = np.argsort(slot, kind="stable")
    order = order[(slot[order] >= 0) & (slot[order] < total)]
    own_ms = offset_ms[order] * (reading.tempo_bpm / tempo_bpm)
    tick = np.rint(slot[order] * per_slot).astype(np.int64)
    straight_ms = np.asarray(slot[order] * per_slot * tick_ms, dtype=np.float64)
    velocity = np.clip(np.rint(127 * onsets.level[order]), 1, 127).astype(np.int64)
    bands, count = onsets.bands[order], len(order)
    amounts_ms = np.zeros((len(TIME_STAGES), count))
    amounts_ms[TIME_STAGES.index("own")] = own_ms
    performance = Performance(
        hits=HitArrays(BANDS, bands.argmax(axis=1), tick, velocity, own_ms, np.zeros(count, dtype=np.int64)),
        tempo_bpm=tempo_bpm,
        length_ms=total * per_slot * tick_ms,
        metre=reading.metre,
        straight_ms=straight_ms,
        played_ms=straight_ms + own_ms,
        velocity=velocity,
        amounts_ms=amounts_ms,
        amounts_velocity=np.zeros((len(VELOCITY_STAGES), count), dtype=np.int64),
    )
    return performance, bands
