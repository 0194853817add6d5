"""What a part plays in one span of the song, before joins: its turns, its bars, its density, its muted voices."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.cache import ResultCache
from easy_pocket.core.feel.density import sounding_at
from easy_pocket.core.feel.feel import FeelScopes, over
from easy_pocket.core.feel.stages import seed_of
from easy_pocket.core.keyed_random import uniform
from easy_pocket.core.pattern.articulation import FIRST_PASS, PLAIN, changed
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.song.arrangement import Span
from easy_pocket.core.song.cycles import turns_between
from easy_pocket.core.song.hit_columns import NOTHING, HitColumns, hit_columns, merge_columns
from easy_pocket.core.song.part import Part
from easy_pocket.core.song.pattern_variants import chosen_variant, variants
from easy_pocket.core.song.section import ORDER, Cell

Ints = npt.NDArray[np.int64]


def scopes_of(part: Part, cell: Cell) -> FeelScopes:
    """The part's feel with what the cell changes of it."""
    return replace(part.feel, part=over(cell.feel, part.feel.part), player=part.drawn_by)


def turn_keys(part: Part, cell: Cell) -> tuple[int, ...]:
    """Patterns turn by turn; none when what the cell asks for is gone."""
    if cell.pattern != ORDER:
        return (cell.pattern,) if cell.pattern in part.patterns else ()
    order = tuple(key for key in part.turning.order if key in part.patterns)
    return order or tuple(part.patterns)[:1]


def turns(part: Part, cell: Cell, span: Span) -> tuple[Ints, Ints, tuple[int, ...]]:
    """Find where in the span a part's turns begin (before 0 for one that is under way).

    With their numbers from 0, and the patterns they take one after another.

    Parameters
    ----------
    part
        The part.
    cell
        What it plays in the section.
    span
        A section in its place in the song.

    Returns
    -------
    tuple[Ints, Ints, tuple[int, ...]]
        Start in ticks, number from 0, and pattern of each turn.
    """
    keys = turn_keys(part, cell)
    if not keys:
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64), ()
    turning = part.turning
    if cell.written:
        return np.array([-cell.start_ticks]), np.array([0]), keys
    lengths = [turning.cycle_ticks or part.patterns[key].length_ticks for key in keys]
    origin = turning.shift_ticks - (cell.start_ticks if turning.restarts else span.start_tick)
    starts, numbers = turns_between(lengths, -origin, span.ticks - origin)
    return starts + origin, numbers, keys


def seams(part: Part, cell: Cell, span: Span) -> list[int]:
    """Ticks of the span at which a turn begins.

    Parameters
    ----------
    part
        The part.
    cell
        What it plays in the section.
    span
        A section in its place in the song.

    Returns
    -------
    list[int]
        Ticks, rising.
    """
    starts, _, _ = turns(part, cell, span)
    return [tick for tick in starts.tolist() if 0 <= tick < span.ticks]


_kept: ResultCache[HitColumns] = ResultCache("lines of parts", 96 << 20)


def part_hits(part: Part, span: Span, seed: int) -> HitColumns:
    """Ticks count from the span's beginning; chance is decided, so no hit depends on a pass any more.

    What is known from before is not made again.

    Parameters
    ----------
    part
        The part.
    span
        A section in its place in the song.
    seed
        Whole number; the same one gives the same result.

    Returns
    -------
    HitColumns
        Hits as columns.
    """
    cell = span.section.cells.get(part.key)
    if cell is None:
        return NOTHING
    if not part.stamp:
        return _own_line(part, cell, span, seed)
    turning = part.turning
    patterns = tuple(part.patterns[key].token for key in turn_keys(part, cell))
    playing = (cell.pattern, cell.start_ticks, cell.muted, cell.written, cell.stamp)
    place = (0, 0) if turning.restarts else (span.start_tick, span.first_bar)
    key = (part.stamp, part.drawn_by, turning, patterns, playing, span.ticks, span.metre, seed, place)
    return _kept.get(key, lambda: _own_line(part, cell, span, seed))


def _own_line(part: Part, cell: Cell, span: Span, seed: int) -> HitColumns:
    starts, numbers, keys = turns(part, cell, span)
    pieces = []
    for place, key in enumerate(keys):
        mine = numbers % len(keys) == place
        pieces.append(_turns_of(part, cell, part.patterns[key], starts[mine], numbers[mine], seed))
    line = merge_columns(pieces)
    line = line.take((line.tick >= 0) & (line.tick < span.ticks))
    if part.turning.bars and not cell.written:
        line = line.take(plays_in(part, span)[line.tick // span.metre.bar_ticks])
    if cell.muted:
        line = line.take(~line.of(cell.muted))
    return line.in_order()


def plays_in(part: Part, span: Span) -> npt.NDArray[np.bool_]:
    """In which bars of the span the part plays, shape (bars,).

    By its marks, from the section's first bar on, or the song's when it runs free.
    """
    marks = np.array([mark == "1" for mark in part.turning.bars or "1"])
    first = 0 if part.turning.restarts else span.first_bar - 1
    return np.asarray(marks[(first + np.arange(span.bars)) % len(marks)])


def _turns_of(part: Part, cell: Cell, pattern: Pattern, starts: Ints, numbers: Ints, seed: int) -> HitColumns:
    turning = part.turning
    if cell.written:
        return decided(hit_columns(pattern), starts, numbers, seed)
    others = variants(pattern, turning.seed) if turning.change_percent else ()
    which = chosen_variant(numbers, turning.change_percent, seed_of(turning.seed, part.drawn_by), len(others))
    cycle = turning.cycle_ticks or pattern.length_ticks
    pieces = []
    for number, one in enumerate((pattern, *others)):
        here = which == number
        if not here.any():
            continue
        line = _as_dense(one, part, cell)
        line = line.take(line.tick < cycle)
        if turning.rotation_ticks:
            line = line.at((line.tick - turning.rotation_ticks) % cycle)
        pieces.append(decided(line, starts[here], numbers[here], seed_of(seed, part.drawn_by)))
    return merge_columns(pieces)


def _as_dense(pattern: Pattern, part: Part, cell: Cell) -> HitColumns:
    scopes = scopes_of(part, cell)
    percent_of = {voice: float(scopes.setting(voice, "density_percent")) for voice in pattern.arrays.voices}
    return hit_columns(pattern).take(sounding_at(pattern, percent_of))


def decided(line: HitColumns, starts: Ints, numbers: Ints, seed: int) -> HitColumns:
    """The line at every start. What sounds in some passes only is there in those only; passes count from 1.

    Parameters
    ----------
    line
        Hits of one turn.
    starts
        Where each turn begins, in ticks.
    numbers
        Number of each turn, from 0.
    seed
        Whole number; the same one gives the same result.

    Returns
    -------
    HitColumns
        Hits as columns, in order of time.
    """
    count, passes = len(line), numbers + 1
    heard = np.ones((len(starts), count), dtype=bool)
    articulations = list(line.articulations)
    for place in np.flatnonzero(line.articulation >= 0).tolist():
        articulation = line.articulations[line.articulation[place]]
        if not articulation.depends_on_pass:
            continue
        if articulation.passes == FIRST_PASS:
            heard[:, place] = passes == 1
        elif articulation.passes:
            heard[:, place] = passes % articulation.passes == 0
        if articulation.odds_percent < 100:
            name = f"odds {line.voices[line.voice[place]]}"
            chance = uniform(seed, name, np.full(len(passes), line.tick[place]), passes)
            heard[:, place] &= chance * 100 < articulation.odds_percent
        articulations[line.articulation[place]] = changed(articulation, passes=0, odds_percent=100)
    repeated = line.take(np.tile(np.arange(count), len(starts)))
    moved = repeated.at((starts[:, None] + line.tick[None, :]).ravel())
    plain = np.array([articulation == PLAIN for articulation in articulations], dtype=bool)
    if plain.any():
        articulation = np.where(
            (moved.articulation >= 0) & plain[np.maximum(moved.articulation, 0)], -1, moved.articulation
        )
        moved = replace(moved, articulation=articulation)
    return replace(moved, articulations=tuple(articulations)).take(heard.ravel())
