"""How sections end: what a join makes of the lines of all parts."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.feel.stages import seed_of
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.core.song.arrangement import Arrangement, Span
from easy_pocket.core.song.hit_columns import NOTHING, HitColumns, hit_columns, hit_columns_of_hits, merge_columns
from easy_pocket.core.song.part_hits import decided
from easy_pocket.core.song.section import Join

Lines = dict[int, HitColumns]


def joins_at_end(span: Span) -> tuple[Join, ...]:
    """Those that happen at the end of this turn."""
    return tuple(join for join in span.section.joins if span.last_turn or not join.last_only)


def with_joins(song: Arrangement, span: Span, lines: Lines, before: Span | None) -> Lines:
    """The lines of a span with what its own joins do to its end, and with the crash of the span before.

    Parameters
    ----------
    song
        Parts, sections, and what each part plays where.
    span
        A section in its place in the song.
    lines
        Hits of each part in the span.
    before
        The span before this one; None for the first.

    Returns
    -------
    Lines
        The lines, changed at their ends.
    """
    joined = dict(lines)
    ending = joins_at_end(span)
    for kind, act in (("drop", _drop), ("fill", _fill), ("pickup", _pickup), ("swell", _swell)):
        for join in ending:
            if join.kind == kind:
                act(song, span, join, joined)
    for join in joins_at_end(before) if before is not None else ():
        if join.kind == "crash" and song.part(join.part) is not None:
            _add(joined, join.part, hit_columns_of_hits([Hit(join.voice, 0, join.velocity)]))
    return joined


def window_ticks(span: Span, beats: float) -> int:
    """Ticks of a join's beats, as one counts them; no more than the span has."""
    return min(round(beats * span.metre.pulse_ticks), span.ticks)


def _drop(song: Arrangement, span: Span, join: Join, lines: Lines) -> None:
    begin = span.ticks - window_ticks(span, join.beats)
    for key, line in lines.items():
        if key not in join.keep:
            lines[key] = line.take(line.tick < begin)


def _fill(song: Arrangement, span: Span, join: Join, lines: Lines) -> None:
    line, begin = _ending_together(song, span, join)
    if line is not None:
        there = lines.get(join.part, NOTHING)
        lines[join.part] = merge_columns([there.take(there.tick < begin), line]).in_order()


def _pickup(song: Arrangement, span: Span, join: Join, lines: Lines) -> None:
    line, _ = _ending_together(song, span, join)
    if line is not None:
        _add(lines, join.part, line)


def _ending_together(song: Arrangement, span: Span, join: Join) -> tuple[HitColumns | None, int]:
    """Give the join's pattern so that it ends with the span, and where it begins.

    Its beginning is cut off when it is longer.
    """
    part = song.part(join.part)
    pattern = part.patterns.get(join.pattern) if part else None
    if part is None or pattern is None or not part.fills:
        return None, span.ticks
    begin = span.ticks - pattern.length_ticks
    starts, turns = np.array([begin]), np.array([span.turn - 1])
    line = decided(hit_columns(pattern), starts, turns, seed_of(song.seed, part.drawn_by))
    return line.take(line.tick >= 0), max(begin, 0)


def _swell(song: Arrangement, span: Span, join: Join, lines: Lines) -> None:
    """A hit that runs backwards: its attack falls on the boundary, or so much before it as the gap is long."""
    if song.part(join.part) is None:
        return
    ticks = window_ticks(span, join.beats)
    gap = min(round(join.gap_ms / ms_per_tick(span.tempo_bpm)), ticks - 1)
    articulation = Articulation(length_ticks=max(ticks - gap, 1), backwards=True, fade_ms=join.fade_ms)
    _add(
        lines,
        join.part,
        hit_columns_of_hits([Hit(join.voice, span.ticks - ticks, join.velocity, articulation=articulation)]),
    )


def _add(lines: Lines, part: int, line: HitColumns) -> None:
    lines[part] = merge_columns([lines.get(part, NOTHING), line]).in_order()


def describe_join(join: Join, beats_words: str) -> str:
    """A join in a few words: "fill: 1 beat", "drop-out of 2 beats"."""
    return {
        "fill": f"fill: {beats_words}",
        "pickup": f"pick-up: {beats_words}",
        "drop": f"drop-out of {beats_words}",
        "crash": "crash on the next one",
        "swell": f"reverse swell over {beats_words}",
    }[join.kind] + (" · last time" if join.last_only else "")
