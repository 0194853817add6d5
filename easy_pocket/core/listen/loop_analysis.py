"""Listening to a loop from audio to groove, with everything the user has overruled."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.cache import ResultCache
from easy_pocket.core.errors import BadValueError, NoHitsError, require_range
from easy_pocket.core.listen.beat_tracking import line_times
from easy_pocket.core.listen.drifting_tempo import followed
from easy_pocket.core.listen.file_hints import NO_HINTS, FileHints, in_their_light
from easy_pocket.core.listen.grid_fit import grid_fit
from easy_pocket.core.listen.listened import Found, Listened, find, listen
from easy_pocket.core.listen.onsets import Onsets, measure
from easy_pocket.core.listen.preparation import Prepared
from easy_pocket.core.listen.ranked_readings import rank_readings, with_confidence
from easy_pocket.core.listen.reading import Reading, counted_beats, unread
from easy_pocket.core.listen.signals import RATE_HZ
from easy_pocket.core.listen.sound_groups import StoredGroup
from easy_pocket.core.listen.tempo import read_free, read_trimmed
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.progress import OnProgress, no_progress

MAX_CORRECTIONS = 2000
MAX_SPANS = 64
SHORTEST_SPAN_S = 0.005
SAME_HIT_S = 0.002
BY_HAND_DB = 40.0  # how far a hit added by hand counts as risen: nobody doubts it


@dataclass(frozen=True)
class Corrections:
    """What the user decided against what was heard; None and empty mean: as heard.

    added and removed are hit times in seconds; a moved hit is one of each. one_s says where a first downbeat is.
    ignored_s: spans (from, to) in which nothing counts as a hit, but what was added by hand after all.
    follows: bar lines of its own for every bar, where its hits are, also of a recording that seems steady.
    cut_s: the recording was cut out to be exactly its bars, and this is where in it bar one lies; None for another.
    kept_s: doubtful hits the user confirmed. groups: the hits sorted by sound as the user left them. Hearing depends on
    neither of these two.
    """

    sensitivity: float = 0.5
    metre: Metre | None = None
    bars: int | None = None
    one_s: float | None = None
    added_s: tuple[float, ...] = ()
    removed_s: tuple[float, ...] = ()
    ignored_s: tuple[tuple[float, float], ...] = ()
    kept_s: tuple[float, ...] = ()
    groups: tuple[StoredGroup, ...] = ()
    follows: bool = False
    cut_s: float | None = None

    def __post_init__(self) -> None:
        require_range("The sensitivity", self.sensitivity, 0.0, 1.0)
        if self.bars is not None:
            require_range("The number of bars", self.bars, 1, 64)
        require_range("The number of corrected hits", len(self.added_s) + len(self.removed_s), 0, MAX_CORRECTIONS)
        for time_s in (*self.added_s, *self.removed_s, self.one_s or 0.0, self.cut_s or 0.0):
            require_range("The place of a hit", time_s, 0.0, 600.0, "s")
        require_range("The number of spans that are ignored", len(self.ignored_s), 0, MAX_SPANS)
        for begin_s, end_s in self.ignored_s:
            require_range("The start of a span", begin_s, 0.0, 600.0, "s")
            require_range("The length of a span", end_s - begin_s, SHORTEST_SPAN_S, 600.0, "s")


@dataclass(frozen=True)
class LoopAnalysis:
    """What a loop holds: its hits, the reading in force, and the readings offered. hints: what its file says."""

    onsets: Onsets
    reading: Reading
    readings: tuple[Reading, ...] = field(default=())
    hints: FileHints = NO_HINTS


def analyze_loop(
    audio: Audio,
    corrections: Corrections | None = None,
    on_progress: OnProgress = no_progress,
    hints: FileHints = NO_HINTS,
    *,
    keep_unheard: bool = False,
) -> LoopAnalysis:
    """Find hits, tempo and bars.

    Parameters
    ----------
    audio
        The recording.
    corrections
        What a hand has set: bars, hits, sensitivity; None for nothing.
    on_progress
        Called with the share that is done, 0 to 1, and words.
    hints
        What the file says of its tempo and bars: it counts with what is heard.
    keep_unheard
        Sound in which no two hits stand out is no error: it comes with the hits there are and a reading nobody believes
        in, so that hits can be added by hand.

    Returns
    -------
    LoopAnalysis
        Hits, readings and certainty.

    Raises
    ------
    NoHitsError
        When no hit stands out, and whatever `on_progress` raises to stop it.
    """
    held = [audio]  # handed on and not kept: of ten minutes it is a hundred megabytes
    del audio
    listened = listen(held.pop(), on_progress)
    return analyze_listened(listened, corrections, on_progress, hints, keep_unheard=keep_unheard)


_listened: ResultCache[Listened] = ResultCache("loops, listened to", 1 << 27)
_chosen: ResultCache[Found] = ResultCache("loops, their hits before they are corrected", 1 << 24)


def remember(key: str, listening: Callable[[], Listened]) -> None:
    """Have what was heard of a recording at hand for `analyze_again`; asked for only where it is not."""
    _listened.get(key, listening)


def analyze_again(
    key: str, listening: Callable[[], Listened], corrections: Corrections, hints: FileHints = NO_HINTS
) -> LoopAnalysis:
    """Hear a recording with other corrections; what does not depend on them is kept.

    Parameters
    ----------
    key
        Of the recording's bytes.
    listening
        Gives what is heard of the recording, where that is not kept.
    corrections
        What a hand has set.
    hints
        What the file says.

    Returns
    -------
    LoopAnalysis
        As of `analyze_loop` with keep_unheard.
    """
    listened = _listened.get(key, listening)
    with suppress(NoHitsError):  # it is raised again where it counts
        found = _chosen.get((key, corrections.sensitivity), lambda: find(listened, corrections.sensitivity))
        listened = replace(listened, found=found)
    return analyze_listened(listened, corrections, hints=hints, keep_unheard=True)


def analyze_listened(
    listened: Listened,
    corrections: Corrections | None = None,
    on_progress: OnProgress = no_progress,
    hints: FileHints = NO_HINTS,
    *,
    keep_unheard: bool = False,
) -> LoopAnalysis:
    """Choose hits of what was listened to, and read their bars; see `analyze_loop`."""
    corrections, prepared = corrections or Corrections(), listened.prepared
    readings: Sequence[Reading]
    try:
        found, readings = _found(listened, corrections, on_progress)
        onsets = _corrected(prepared, found, corrections)
    except NoHitsError:
        if not keep_unheard:
            raise
        nothing = np.zeros(0, dtype=np.intp)
        onsets, readings = measure(prepared, nothing, np.zeros(0)), [unread(prepared.duration_s)]
        found = onsets
    if onsets is not found or not readings:
        on_progress(0.85, f"reading the bars of {len(onsets)} hits")
        try:
            readings = rank_readings(onsets)
        except NoHitsError as error:
            if not keep_unheard:
                raise NoHitsError(f"{prepared.name}: {error}") from None
            readings = [unread(prepared.duration_s)]
    if hints != NO_HINTS:
        readings = with_confidence(in_their_light(list(readings), hints, onsets.duration_s))
    return LoopAnalysis(onsets, _overruled(onsets, readings[0], corrections), tuple(readings), hints)


def _found(
    listened: Listened, corrections: Corrections, on_progress: OnProgress
) -> tuple[Onsets | None, tuple[Reading, ...]]:
    found = listened.found
    try:
        if found is None or found.sensitivity != corrections.sensitivity:
            found = find(listened, corrections.sensitivity, on_progress)
    except NoHitsError:
        if corrections.added_s:
            return None, ()
        raise
    return found.onsets, found.readings


def _corrected(prepared: Prepared, found: Onsets | None, corrections: Corrections) -> Onsets:
    """The hits heard, without the removed ones and with the added ones measured like the others."""
    if not corrections.added_s and not corrections.removed_s and not corrections.ignored_s:
        assert found is not None
        return found
    times, log_odds_db, middle_ms = (
        (np.zeros(0),) * 3 if found is None else (found.time_s, found.log_odds_db, found.middle_ms)
    )
    left = np.ones(len(times), dtype=np.bool_)
    for removed_s in corrections.removed_s:
        left &= np.abs(times - removed_s) > SAME_HIT_S
    for begin_s, end_s in corrections.ignored_s:
        left &= (times < begin_s) | (times >= end_s)
    times, log_odds_db, middle_ms = times[left], log_odds_db[left], middle_ms[left]
    added = [
        time_s
        for time_s in corrections.added_s
        if time_s < prepared.duration_s and not np.any(np.abs(times - time_s) <= SAME_HIT_S)
    ]
    merged, first = np.unique(np.concatenate([times, added]), return_index=True)
    if not len(merged):
        raise NoHitsError(f"{prepared.name}: no hit is left outside the spans that are ignored: take one of them back.")
    rises_db = np.concatenate([log_odds_db, np.full(len(added), BY_HAND_DB)])[first]
    middles_ms = np.concatenate([middle_ms, np.zeros(len(added))])[first]  # where the hand put it
    starts = np.rint(merged * RATE_HZ).astype(np.intp) + prepared.context
    measured = measure(prepared, starts, rises_db, middles_ms)
    return replace(measured, time_s=merged)


def _overruled(onsets: Onsets, best: Reading, corrections: Corrections) -> Reading:
    """The best reading bent to what the user set. In a trimmed loop bars and metre decide the tempo."""
    reading = best
    if corrections.bars is not None or corrections.metre is not None:
        metre = corrections.metre or best.metre
        bars = corrections.bars or max(round(best.length_s / (60.0 / best.tempo_bpm * metre.bar_ticks / 960)), 1)
        if corrections.cut_s is not None:
            reading = _as_cut(onsets, metre, bars, corrections.cut_s)
        elif best.trimmed:
            reading = read_trimmed(onsets, (metre,), bars)[0]
        else:
            reading = _free_with_bars(onsets, best, metre, bars)
        reading = replace(reading, confidence=1.0)
    if corrections.one_s is not None:
        reading = replace(_with_one_near(corrections.one_s, reading), confidence=1.0)
    return followed(onsets, reading) if corrections.follows else reading


def _as_cut(onsets: Onsets, metre: Metre, bars: int, one_s: float) -> Reading:
    """So many bars that are just as long as the recording, whatever else its hits may fit."""
    reading = read_trimmed(onsets, (metre,), bars)[0]
    fit, grid = grid_fit(onsets.time_s, np.sqrt(onsets.strength), reading.beat_s, one_s)
    return replace(reading, bar_one_s=one_s, grid=grid, fit=fit)


def _free_with_bars(onsets: Onsets, best: Reading, metre: Metre, bars: int) -> Reading:
    """An untrimmed recording in another metre or number of bars: the same stretch, divided otherwise."""
    if best.drifts:
        return _divided_otherwise(onsets, best, metre, bars)
    length_s = best.length_s
    matching = [reading for reading in read_free(onsets, (metre,)) if reading.bars == bars]
    if matching:
        return matching[0]
    tempo_bpm = 60.0 * bars * metre.bar_ticks / 960 / length_s
    beat_s = length_s / bars / counted_beats(metre)
    fit, grid = grid_fit(onsets.time_s, np.sqrt(onsets.strength), beat_s, best.bar_one_s)
    return replace(best, tempo_bpm=tempo_bpm, metre=metre, bars=bars, grid=grid, fit=fit)


def _divided_otherwise(onsets: Onsets, best: Reading, metre: Metre, bars: int) -> Reading:
    """A drifting recording in another metre or number of bars, along the same curve of tempo."""
    lines_s = line_times(np.asarray(best.bar_lines_s), np.arange(bars + 1) * best.bars / bars)
    tempo_bpm = 60.0 * bars * metre.bar_ticks / 960 / float(lines_s[-1] - lines_s[0])
    divided = replace(best, tempo_bpm=tempo_bpm, metre=metre, bars=bars, bar_lines_s=tuple(lines_s.tolist()))
    evened_s = divided.slot_at(onsets.time_s) * divided.slot_s
    fit, grid = grid_fit(evened_s, np.sqrt(onsets.strength), divided.beat_s)
    return replace(divided, grid=grid, fit=fit)


def _with_one_near(one_s: float, reading: Reading) -> Reading:
    """The one on the grid line nearest to a place, so that setting it on a late hit does not move the grid."""
    slot = float(np.rint(reading.slot_at(np.array([one_s])))[0])
    line_s = float(reading.time_at(np.array([slot]))[0])
    if reading.drifts:
        per_bar = reading.slots_per_bar
        bars = max(round((reading.slots_per_bar * reading.bars - slot) / per_bar), 1)
        lines_s = reading.time_at(slot + per_bar * np.arange(bars + 1))
        return replace(reading, bars=bars, bar_lines_s=tuple(lines_s.tolist()), bar_one_s=max(line_s, 0.0))
    if reading.trimmed:
        return replace(reading, bar_one_s=line_s % reading.length_s)
    return replace(reading, bar_one_s=max(line_s, 0.0))


def with_span(spans: tuple[tuple[float, float], ...], begin_s: float, end_s: float) -> tuple[tuple[float, float], ...]:
    """Spans with one more; those that touch become one. In order of time.

    Parameters
    ----------
    spans
        Begin and end of each span in seconds, in order.
    begin_s
        Begin of the new span in seconds.
    end_s
        End of the new span in seconds.

    Returns
    -------
    tuple[tuple[float, float], ...]
        The spans in order of time.
    """
    joined = [(begin_s, end_s)]
    for one in spans:
        begin, end = joined[-1]
        if one[0] <= end and one[1] >= begin:
            joined[-1] = min(begin, one[0]), max(end, one[1])
        else:
            joined.insert(0, one)
    return tuple(sorted(joined))


def at_half_tempo(reading: Reading) -> tuple[int, Metre]:
    """Bars and metre that make the tempo half as fast over the same audio."""
    if reading.bars % 2 == 0:
        return reading.bars // 2, reading.metre
    if reading.metre.beats % 2 == 0:
        return reading.bars, Metre(reading.metre.beats // 2, reading.metre.unit)
    raise BadValueError(
        f"{reading.bars} bars of {reading.metre} cannot be halved: set the bars or the metre by hand instead."
    )


def at_double_tempo(reading: Reading) -> tuple[int, Metre]:
    """Bars and metre that make the tempo twice as fast over the same audio."""
    return reading.bars * 2, reading.metre
