"""What usually holds of the reading of a loop that its hits alone do not decide: above all half or double the tempo.

A conditional logit model over the readings of one loop (McFadden 1974), fitted by tools/fit_readings.py on loops whose
truth is known; its weights add to the score of a reading.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
import numpy.typing as npt

from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading

Floats = npt.NDArray[np.float64]
FITTED_FILE = Path(__file__).with_name("reading_habits.npz")
USUAL_BPM, USUAL_COMPOUND_BPM = 112.0, 62.0  # of beats as one counts them
SWUNG_PERCENT = 52.0
HABITS = (
    "slower than usual",
    "faster than usual",
    "hits a beat",
    "hits a beat, squared",
    "low hits a beat",
    "middle hits a beat",
    "8ths",
    "8th triplets",
    "16th triplets",
    "swung 8ths",
    "swung 16ths",
    "one bar",
    "not trimmed",
    "compound",
    "middle on beats",
    "beats not struck",
)


def low_and_middle(onsets: Onsets) -> tuple[Floats, Floats]:
    """How low and how middle every hit is, times its strength."""
    low = onsets.strength * np.sqrt(onsets.bands[:, 0])
    middle = onsets.strength * np.sqrt(onsets.bands[:, 1]) * (onsets.bands[:, 0] < 0.75)
    return low, middle


def on_beats(onsets: Onsets, reading: Reading) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.bool_]]:
    """Of every hit the nearest beat, counted from bar one round the loop, and whether it is on it."""
    beats = max(reading.bars * (reading.slots_per_bar // reading.grid.per_beat), 1)
    place = reading.slot_at(onsets.time_s) / reading.grid.per_beat
    nearest = np.rint(place)
    near = np.abs(place - nearest) * reading.beat_s < min(0.045, 0.2 * reading.beat_s)
    return nearest.astype(np.int64) % beats, near


def habits_of(onsets: Onsets, reading: Reading) -> Floats:
    """The figures the model weighs, in the order of HABITS."""
    grid, metre = reading.grid, reading.metre
    beats = max(reading.bars * (reading.slots_per_bar // grid.per_beat), 1)
    counted_bpm = 60.0 / reading.beat_s
    octaves = float(np.log2(counted_bpm / (USUAL_COMPOUND_BPM if metre.compound else USUAL_BPM)))
    low, middle = low_and_middle(onsets)
    hits = float(np.log2(max(len(onsets), 1) / beats))
    beat, near = on_beats(onsets, reading)
    swung = grid.swing_percent > SWUNG_PERCENT
    return np.array(
        [
            min(octaves, 0.0) ** 2,
            max(octaves, 0.0) ** 2,
            hits,
            hits * hits,
            low.sum() / max(float(low.max()), 1e-9) / beats,
            middle.sum() / max(float(middle.max()), 1e-9) / beats,
            grid.per_beat == 2,
            grid.per_beat == 3,
            grid.per_beat == 6,
            grid.per_beat == 2 and swung,
            grid.per_beat == 4 and swung,
            reading.bars == 1,
            not reading.trimmed,
            metre.compound,
            middle[near].sum() / max(float(middle.sum()), 1e-9),
            1.0 - len(np.unique(beat[near])) / beats,
        ],
        dtype=np.float64,
    )


@lru_cache(maxsize=1)
def _weights() -> Floats:
    with np.load(FITTED_FILE, allow_pickle=False) as stored:
        return np.asarray(stored["weights"], dtype=np.float64)


def habit_score(onsets: Onsets, reading: Reading) -> float:
    """What speaks for a reading beside its fit, in the measure of its score."""
    return float(habits_of(onsets, reading) @ _weights())
