"""The song as it is played: each part's feel and looseness carried out, in the time of the whole song."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.cache import ResultCache
from easy_pocket.core.feel.looseness import SLOT_TICKS
from easy_pocket.core.feel.perform import Performance, perform_hits
from easy_pocket.core.feel.stages import Loose, keep_order
from easy_pocket.core.feel.strokes import Strokes, strokes
from easy_pocket.core.pattern.pattern import HitArrays
from easy_pocket.core.song.arrangement import Arrangement, Span
from easy_pocket.core.song.flatten import Flat, flatten
from easy_pocket.core.song.hit_columns import HitColumns, merge_columns
from easy_pocket.core.song.part import Part
from easy_pocket.core.song.part_hits import scopes_of
from easy_pocket.core.song.section import Cell

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

_kept: ResultCache[tuple[Performance, Strokes]] = ResultCache("spans, performed", 128 << 20)


@dataclass(frozen=True)
class PartPerformance:
    """One part through the song.

    Columns of shape (hits,): span and tick say where a hit is written, times are ms from the song's beginning (early
    hits on the very first beat negative), level_db is what its cell adds. struck: the strokes, times alike.
    """

    part: Part
    hits: HitArrays
    span: Ints
    straight_ms: Floats
    played_ms: Floats
    velocity: Ints
    level_db: Floats
    struck: Strokes


@dataclass(frozen=True)
class SongPerformance:
    """A whole song as it is played; length_ms: of all its sections."""

    song: Arrangement
    parts: tuple[PartPerformance, ...]
    length_ms: float

    def part(self, key: int) -> PartPerformance:
        return next(one for one in self.parts if one.part.key == key)


def perform_song(song: Arrangement, flat: Flat | None = None, *, straight: bool = False) -> SongPerformance:
    """Every part by itself: what one plays has no influence on another's looseness.

    Parameters
    ----------
    song
        Parts, sections, and what each part plays where.
    flat
        The song written out, when it is known already; None works it out.
    straight
        Whether every hit stays on its written slot.

    Returns
    -------
    SongPerformance
        Performances by part and section.
    """
    flat = flat or flatten(song)
    return SongPerformance(song, tuple(_play_part(flat, part, straight) for part in song.parts), song.length_ms)


def perform_span(
    part: Part, cell: Cell, span: Span, line: HitColumns, *, straight: bool = False
) -> tuple[Performance, Strokes]:
    """One part in one span; times from the span's beginning. What was played before alike is not played again.

    Parameters
    ----------
    part
        The part.
    cell
        What it plays in the section.
    span
        A section in its place in the song.
    line
        Its hits in the span.
    straight
        Whether every hit stays on its written slot.

    Returns
    -------
    tuple[Performance, Strokes]
        Hits as they are played, and their strokes.
    """
    scopes = scopes_of(part, cell)
    hits = line.arrays()
    runs_on = scopes.runs_on(hits.voices)
    loose = Loose(span.start_tick // SLOT_TICKS, span.number) if runs_on else Loose()
    key = _key(part, cell, span, line, loose, straight)

    def performed() -> tuple[Performance, Strokes]:
        performance = perform_hits(
            hits, span.ticks, span.metre, scopes, tempo_bpm=span.tempo_bpm, straight=straight, loop=False, loose=loose
        )
        return performance, strokes(performance)

    return _kept.get(key, performed) if key else performed()


def _key(part: Part, cell: Cell, span: Span, line: HitColumns, loose: Loose, straight: bool) -> str:
    if not part.stamp:
        return ""
    found = hashlib.blake2b(digest_size=16)
    for column in (line.voice, line.tick, line.velocity, line.offset_ms, line.alternate, line.articulation):
        found.update(np.ascontiguousarray(column).tobytes())
    said = (
        part.drawn_by,
        part.stamp,
        cell.stamp,
        line.voices,
        line.articulations,
        span.ticks,
        str(span.metre),
        span.tempo_bpm,
    )
    found.update(repr((*said, loose, straight)).encode())
    return found.hexdigest()


def _play_part(flat: Flat, part: Part, straight: bool) -> PartPerformance:
    pieces = list(flat.pieces(part.key))
    line = merge_columns([one.at(one.tick + span.start_tick) for span, one in pieces])
    hits = line.arrays()
    nothing, none = np.zeros(0), np.zeros(0, dtype=np.int64)
    if not pieces:
        empty = Strokes(none, nothing, none, nothing, nothing, nothing, np.zeros(0, dtype=bool), nothing, nothing)
        return PartPerformance(part, hits, none, nothing, nothing, none, nothing, empty)
    played, struck, numbers, levels = [], [], [], []
    before = 0
    for span, one in pieces:
        cell = span.section.cells.get(part.key, Cell())
        performance, strokes_of = perform_span(part, cell, span, one, straight=straight)
        played.append((span.start_ms, performance))
        struck.append(replace(strokes_of, hit=strokes_of.hit + before, time_ms=strokes_of.time_ms + span.start_ms))
        numbers.append(np.full(len(one), span.number))
        levels.append(np.full(len(one), cell.level_db))
        before += len(one)
    played_ms = np.concatenate([start + one.played_ms for start, one in played])
    every = Strokes(
        *(
            np.concatenate([getattr(one, name) for one in struck])
            for name in ("hit", "time_ms", "velocity", "tune_cents", "pan", "length_ms", "backwards", "fade_ms", "room")
        )
    )
    if not straight:  # what is early in one section stays behind what is late at the end of the section before
        ordered = keep_order(hits, played_ms, None)
        every = replace(every, time_ms=every.time_ms + (ordered - played_ms)[every.hit])
        played_ms = ordered
    return PartPerformance(
        part=part,
        hits=hits,
        span=np.concatenate(numbers),
        straight_ms=np.concatenate([start + one.straight_ms for start, one in played]),
        played_ms=played_ms,
        velocity=np.concatenate([one.velocity for _, one in played]),
        level_db=np.concatenate(levels),
        struck=every,
    )
