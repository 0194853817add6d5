"""What an audio file says of its own music, and readings in its light: it counts, and does not decide."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from easy_pocket.core.listen.reading import Reading

TEMPO_TOLERANCE = 0.01  # share
SPAN_TOLERANCE_S, MARKER_TOLERANCE_S = 0.03, 0.015
FOR_TEMPO, FOR_SPAN, FOR_BARS, FOR_BEATS = 1.0, 0.3, 1.0, 0.3
FEWEST_MARKERS = 2
MOST_BPM = 999.0


@dataclass(frozen=True)
class FileHints:
    """What a file says. tempo_bpm: by a tag. loop_s: begin and end of the part that goes round. markers_s: in order.

    Seconds count from the start of the file.
    """

    tempo_bpm: float | None = None
    loop_s: tuple[float, float] | None = None
    markers_s: tuple[float, ...] = ()


NO_HINTS = FileHints()


def in_their_light(readings: list[Reading], hints: FileHints, duration_s: float) -> list[Reading]:
    """The same readings, best first.

    Parameters
    ----------
    readings
        Of the hits alone, with their scores (log odds).
    hints
        Of the file.
    duration_s
        Length of the recording.

    Returns
    -------
    list[Reading]
        With other scores; shares of belief are for the caller to give anew.
    """
    if hints == NO_HINTS:
        return readings
    found = [replace(one, score=one.score + _agreement(one, hints, duration_s)) for one in readings]
    return sorted(found, key=lambda one: -one.score)


def _agreement(reading: Reading, hints: FileHints, duration_s: float) -> float:
    found = 0.0
    if hints.tempo_bpm and abs(reading.tempo_bpm / hints.tempo_bpm - 1) < TEMPO_TOLERANCE:
        found += FOR_TEMPO
    if hints.loop_s:
        begin_s, end_s = hints.loop_s
        whole = begin_s < SPAN_TOLERANCE_S and duration_s - end_s < SPAN_TOLERANCE_S
        same = reading.trimmed if whole else abs(end_s - begin_s - reading.length_s) < SPAN_TOLERANCE_S
        found += FOR_SPAN * same
    if len(hints.markers_s) >= FEWEST_MARKERS:
        places = reading.slot_at(np.asarray(hints.markers_s))
        bar = reading.slots_per_bar
        on_bars = _share_near(places, bar, reading.slot_s)
        on_beats = _share_near(places, reading.grid.per_beat, reading.slot_s)
        # As many markers as bar lines say more than a few of them.
        told = min(1.0, len(hints.markers_s) / max(reading.bars, 1))
        found += FOR_BARS * on_bars * told if on_bars > on_beats / 2 else FOR_BEATS * on_beats
    return found


def _share_near(places: np.ndarray, step: float, slot_s: float) -> float:
    """The share of places (in slots) that lie on a multiple of `step`."""
    off_s = np.abs(places - np.rint(places / step) * step) * slot_s
    return float(np.mean(off_s < MARKER_TOLERANCE_S))
