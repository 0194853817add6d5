"""A song written out flat: one linear pattern per part, every bar its own, and sections that play along it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.song.arrangement import Arrangement, Span
from easy_pocket.core.song.flatten import Flat, flatten
from easy_pocket.core.song.section import Cell, Section


def flat_patterns(song: Arrangement, flat: Flat | None = None) -> dict[int, Pattern]:
    """By part: all it plays, as one pattern as long as the song.

    Rules, joins, density, chance and what was chosen for hits two parts share are carried out in them.
    """
    flat = flat or flatten(song)
    return {part.key: flat.pattern(part.key) for part in song.parts}


def along(song: Arrangement, keys: Mapping[int, int], patterns: Mapping[int, Pattern]) -> Arrangement:
    """The song that plays these patterns, which are as long as itself.

    It has a section for every time round of each section, with its tempo, metre, levels and feel, and no joins, for
    what they do is written in the patterns.

    Parameters
    ----------
    song
        Parts, sections, and what each part plays where.
    keys
        By part: the key under which its long pattern is kept.
    patterns
        By part: the pattern as long as the song.

    Returns
    -------
    Arrangement
        The song without joins, a section for every time round.
    """
    parts = tuple(replace(part, patterns={**part.patterns, keys[part.key]: patterns[part.key]}) for part in song.parts)
    sections = tuple(
        Section(
            key=number,
            name=turn_name(span),
            bars=span.bars,
            tempo_bpm=span.section.tempo_bpm,
            metre=span.section.metre,
            cells={part.key: along_cell(span, part.key, keys[part.key]) for part in song.parts},
        )
        for number, span in enumerate(song.spans, start=1)
    )
    return replace(song, parts=parts, sections=sections, collision_choices={})


def along_cell(span: Span, part: int, pattern: int) -> Cell:
    """Make the cell that plays a pattern as long as the song from where the span begins.

    Parameters
    ----------
    span
        A section in its place in the song.
    part
        Key of the part.
    pattern
        Key of the pattern.

    Returns
    -------
    Cell
        The cell.
    """
    was = span.section.cells.get(part, Cell())
    return replace(was, pattern=pattern, start_ticks=span.start_tick, written=True, muted=frozenset())


def turn_name(span: Span) -> str:
    """Name a turn of a section: "Verse", and "Verse, 2nd time" for a repeat."""
    if span.turn == 1:
        return span.section.name
    ends = {2: "2nd", 3: "3rd"}
    return f"{span.section.name[:60]}, {ends.get(span.turn, f'{span.turn}th')} time"
