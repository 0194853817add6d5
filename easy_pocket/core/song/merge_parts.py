"""Several parts laid together as one, and one part taken apart by voice."""

from __future__ import annotations

from collections.abc import Sequence

from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.hit_columns import merge_columns
from easy_pocket.core.song.part import Part
from easy_pocket.core.song.part_hits import part_hits
from easy_pocket.core.song.section import Section


def merged_pattern(song: Arrangement, section: Section, parts: Sequence[Part]) -> Pattern:
    """What these parts play together in a section the first time it comes, joins left out.

    As short as it repeats in whole bars. Where two strike a voice at once, the later part's hit stays.

    Parameters
    ----------
    song
        Parts, sections, and what each part plays where.
    section
        The section they play in.
    parts
        The parts, later ones before earlier ones where two strike at once.

    Returns
    -------
    Pattern
        One pattern.
    """
    span = next(span for span in song.spans if span.section.key == section.key)
    line = merge_columns([part_hits(part, span, song.seed) for part in parts]).in_order()
    hits = {(hit.voice, hit.tick): hit for hit in line.hits()}
    bar = span.metre.bar_ticks
    for bars in range(1, span.bars + 1):
        length = bars * bar
        if span.bars % bars:
            continue
        first = {place: hit for place, hit in hits.items() if hit.tick < length}
        if len(first) * (span.bars // bars) != len(hits):
            continue
        if all(_alike(hit, first.get((hit.voice, hit.tick % length))) for hit in hits.values()):
            return Pattern(length, tuple(first.values()), song.metre)
    return Pattern(span.ticks, tuple(hits.values()), song.metre)


def _alike(hit: object, other: object) -> bool:
    names = ("voice", "velocity", "offset_ms", "alternate", "articulation")
    return other is not None and all(getattr(hit, name) == getattr(other, name) for name in names)


def only_voice(pattern: Pattern, voice: str) -> Pattern:
    """Leave the hits of one voice."""
    return pattern.with_hits(hit for hit in pattern.hits if hit.voice == voice)


def voices_of(part: Part) -> tuple[str, ...]:
    """All voices its patterns strike."""
    return tuple(sorted({voice for pattern in part.patterns.values() for voice in pattern.arrays.voices}))
