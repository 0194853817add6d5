"""Why a loop may be read this way, in words: what speaks for one reading and not for another."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.reading_habits import low_and_middle, on_beats
from easy_pocket.core.text import counted

GRIDS = {2: "8ths", 3: "8th triplets", 4: "16ths", 6: "16th triplets"}
COMPOUND_GRIDS = {2: "dotted 8ths", 3: "8ths", 4: "dotted 16ths", 6: "16ths"}
CLOSE = 0.1  # share of belief from which on a second reading is a real choice
STRONG = 0.35  # of the loudest low or middle hit: so much counts as an accent
MOST = 3  # reasons told of one reading
SLOW_BPM, FAST_BPM = 70.0, 160.0


def is_close(readings: Sequence[Reading]) -> bool:
    """Whether the second reading is nearly as likely as the first."""
    return len(readings) > 1 and readings[1].confidence >= CLOSE * max(readings[0].confidence, 1e-9)


def reasons(onsets: Onsets, reading: Reading) -> tuple[str, ...]:
    """What speaks for a reading, and against it.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    reading
        One way to read them.

    Returns
    -------
    tuple of str
        At most three, as "a snare or clap on 2 and 4" or "18 of 32 beats are not struck".
    """
    beats_per_bar = reading.slots_per_bar // reading.grid.per_beat
    beats = max(reading.bars * beats_per_bar, 1)
    beat, near = on_beats(onsets, reading)
    found = [*_accents(onsets, beat, near, reading.bars, beats_per_bar)]
    struck = len(np.unique(beat[near]))
    if struck == beats:
        found.append("every beat is struck")
    elif struck < 0.75 * beats:
        found.append(f"{beats - struck} of {counted(beats, 'beat')} are not struck")
    place = reading.slot_at(onsets.time_s)
    off_ms = 1000 * np.median(np.abs(place - reading.nearest_places(place))) * reading.slot_s
    names = COMPOUND_GRIDS if reading.metre.compound else GRIDS
    swung = f" swung {reading.grid.swing_percent:.0f} %" if reading.grid.swing_percent > 51 else ""
    found.append(f"hits lie {off_ms:.0f} ms from {names.get(reading.grid.per_beat, 'its slots')}{swung}")
    counted_bpm = 60.0 / reading.beat_s
    if not SLOW_BPM <= counted_bpm <= FAST_BPM and not reading.metre.compound:
        found.append(f"{'slow' if counted_bpm < SLOW_BPM else 'fast'} to count, {counted_bpm:.0f} beats a minute")
    return tuple(found[:MOST])


def _accents(onsets: Onsets, beat: np.ndarray, near: np.ndarray, bars: int, beats_per_bar: int) -> list[str]:
    """Where low and middle sounds stand in the bars."""
    low, middle = low_and_middle(onsets)
    told = []
    for name, strength in (("low", low), ("middle", middle)):
        table = np.zeros(bars * beats_per_bar)
        np.maximum.at(table, beat[near], strength[near])
        strong = (table >= STRONG * max(float(strength.max(initial=0.0)), 1e-9)).reshape(bars, beats_per_bar)
        if name == "low":
            ones = int(strong[:, 0].sum())
            if ones:
                told.append(f"a low sound on the one of {'every bar' if ones == bars else f'{ones} of {bars} bars'}")
            continue
        often = np.flatnonzero(strong.mean(axis=0) >= 0.75) + 1
        if len(often) and len(often) < beats_per_bar:
            told.append(f"a snare or clap on {' and '.join(map(str, often.tolist()))}")
    return told
