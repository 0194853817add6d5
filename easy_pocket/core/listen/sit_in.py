"""Sit in: hits go to the hits of a loop. How a loop sits in a beat is in layered_loop.py."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.tighten import Tightening
from easy_pocket.core.feel.timing_comparison import BANDS, nearest_round
from easy_pocket.core.feel.write_in import placed, without_order
from easy_pocket.core.listen.groove import extract_template
from easy_pocket.core.listen.loop_side import side_of_loop
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.pattern.lock_edits import keep_locks, lock_reason
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import check_tempo, ms_per_tick
from easy_pocket.core.pattern.voices import band_of

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class SitIn:
    """How far (0-100 %) which voices go (none: all) to the loop's hits; half of step_ticks is how near one must be."""

    strength_percent: float = 100.0
    voices: tuple[str, ...] = ()
    step_ticks: int = 240

    def __post_init__(self) -> None:
        require_range("The strength", self.strength_percent, 0, 100, "%")
        require_range("The grid", self.step_ticks, 10, 3840, "ticks")


@dataclass(frozen=True)
class SitInResult:
    """What sitting in does.

    led: shape (n,), whether a hit of the loop leads a hit of the pattern; one that has none near it follows the loop's
    template instead.
    """

    tightening: Tightening
    led: npt.NDArray[np.bool_]


def sit_in(
    pattern: Pattern, feel: FeelScopes, tempo_bpm: float, onsets: Onsets, reading: Reading, wanted: SitIn
) -> SitInResult:
    """Move a pattern's hits to those of a loop.

    Every hit goes by the strength to the nearest hit of the loop in its voice's band (or of the loop at all) within
    half a slot, and if there is none to where the loop's template has its slot. The loop repeats along the pattern.
    Hits keep their slots, none is lost; the feel stays.

    Parameters
    ----------
    pattern
        What is written.
    feel
        Settings of the stack, the part and its voices.
    tempo_bpm
        Quarter notes a minute.
    onsets
        Hits that were heard, in order of time.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    wanted
        Strength, which hits, and which band follows which.

    Returns
    -------
    SitInResult
        The pattern, and how far its hits moved.

    Raises
    ------
    EditRefusedError
        When there is nothing to move, and BadValueError for a loop without hits.
    """
    check_tempo(tempo_bpm)
    hits = pattern.arrays
    if not pattern.hits:
        raise EditRefusedError("There are no hits to sit in yet: write or import some.")
    side = side_of_loop(onsets, reading, "loop", tempo_bpm)
    if not len(side.time_ms):
        raise BadValueError("The loop holds no hits to sit in with: add some by hand, or raise the sensitivity.")
    from_ms = without_order(perform(pattern, feel, tempo_bpm=tempo_bpm))
    straight_ms = hits.tick * ms_per_tick(tempo_bpm)
    template = extract_template(onsets, reading, "loop", bars=min(reading.bars, 8))
    target_ms, led = np.zeros(len(from_ms)), np.zeros(len(from_ms), dtype=bool)
    half_ms = wanted.step_ticks / 2 * ms_per_tick(tempo_bpm)
    for index, voice in enumerate(hits.voices):
        mine = np.flatnonzero(hits.voice_index == index)
        band = band_of(voice)
        lane = template.offsets_at(hits.tick[mine], pattern.metre, tempo_bpm, scale=True, lane=band)
        target_ms[mine] = straight_ms[mine] + lane
        own = side.bands[:, BANDS.index(band)] if band in BANDS else np.ones(len(side.time_ms), dtype=bool)
        for candidates in (np.ones(len(own), dtype=bool), own):  # those of its band have the last word
            if candidates.any():
                _, away_ms = nearest_round(from_ms[mine], side.time_ms[candidates], side.length_ms)
                near = np.abs(away_ms) <= half_ms
                target_ms[mine[near]] = from_ms[mine[near]] + away_ms[near]
                led[mine[near]] = True
    chosen = np.array(
        [(not wanted.voices or hit.voice in wanted.voices) and not lock_reason(pattern, hit) for hit in pattern.hits]
    )
    to_ms = np.where(chosen, from_ms + wanted.strength_percent / 100 * (target_ms - from_ms), from_ms)
    moved = chosen & (np.abs(to_ms - from_ms) > 1e-9)
    after = keep_locks(pattern, placed(pattern, feel, tempo_bpm, np.flatnonzero(moved), hits.tick, to_ms))
    return SitInResult(Tightening(hits, after, from_ms, target_ms, to_ms, moved, (), None), led)
