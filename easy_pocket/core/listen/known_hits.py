"""The analysis of audio whose bars and hits are known: nothing is guessed, the hits are measured where they lie."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.grid_fit import grid_fit
from easy_pocket.core.listen.hit_classifier import MERGE_S
from easy_pocket.core.listen.loop_analysis import BY_HAND_DB, LoopAnalysis
from easy_pocket.core.listen.onsets import detect_onsets, measure
from easy_pocket.core.listen.preparation import prepare
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.signals import RATE_HZ, Floats

LAST_S = 0.003  # so near the end a hit belongs to the next time round


def known_hits(audio: Audio, times_s: Floats, reading: Reading, *, listen: bool = False) -> LoopAnalysis:
    """Measure hits at known times, and fit the grid of a reading to them.

    Hits that lie within 30 ms of each other are one, of the first.

    Parameters
    ----------
    audio
        The recording.
    times_s
        When the hits are, in seconds, in any order.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    listen
        Whether what else is heard counts, too.

    Returns
    -------
    LoopAnalysis
        The analysis with exactly these hits, or with those heard besides.

    Raises
    ------
    NoHitsError
        When there is none.
    """
    prepared = prepare(audio)
    times = np.sort(times_s[(times_s >= 0) & (times_s < prepared.duration_s - LAST_S)])
    if listen:
        try:
            heard = detect_onsets(audio).time_s
        except NoHitsError:
            heard = np.zeros(0)
        alone = np.abs(heard[:, None] - times[None, :]).min(axis=1, initial=np.inf) > MERGE_S
        times = np.sort(np.concatenate([times, heard[alone]]))
    keep = np.ones(len(times), dtype=np.bool_)
    last_s = -np.inf
    for number, time_s in enumerate(times.tolist()):
        keep[number] = time_s - last_s > MERGE_S
        last_s = time_s if keep[number] else last_s
    times = times[keep]
    if not len(times):
        raise NoHitsError(f"{audio.name} holds no hits: print it as a sound instead.")
    starts = np.rint(times * RATE_HZ).astype(np.intp) + prepared.context
    onsets = replace(measure(prepared, starts, np.full(len(times), BY_HAND_DB)), time_s=times)
    even_s = reading.slot_at(times) * reading.slot_s
    fit, grid = grid_fit(even_s, np.sqrt(onsets.strength), reading.beat_s, 0.0)
    found = replace(reading, grid=grid, fit=fit, score=fit, confidence=1.0)
    return LoopAnalysis(onsets, found, (found,))
