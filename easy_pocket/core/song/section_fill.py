"""A fill for the end of a section, drawn by the rules of Ideas and kept as a pattern of its own."""

from __future__ import annotations

from dataclasses import replace

from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.fills import fills
from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.joins import window_ticks
from easy_pocket.core.song.part import Part
from easy_pocket.core.song.part_hits import part_hits
from easy_pocket.core.song.section import Section

LEAD_BARS = 2  # of what the part plays before, by which the fill is measured


def fill_for(
    song: Arrangement,
    section: Section,
    part: Part,
    voices: tuple[str, ...],
    beats: float,
    seed: int,
    settings: FillSettings | None = None,
) -> Pattern:
    """As long as its beats. voices: those that can be played.

    Parameters
    ----------
    song
        Parts, sections, and what each part plays where.
    section
        The section that ends with it.
    part
        The part that plays it.
    voices
        Roles that can be played.
    beats
        Length in beats as one counts them.
    seed
        Whole number; the same one gives the same result.
    settings
        What it shall be like; None as usual.

    Returns
    -------
    Pattern
        A pattern as long as the fill.

    Raises
    ------
    EditRefusedError
        When none fits.
    """
    span = next(span for span in song.spans if span.section.key == section.key)
    bars = min(LEAD_BARS, span.bars)
    begin = span.ticks - bars * span.metre.bar_ticks
    line = part_hits(part, span, song.seed)
    line = line.take(line.tick >= begin)
    before = Pattern(bars * span.metre.bar_ticks, line.at(line.tick - begin).hits(), span.metre)
    swing = part.feel.setting("", "swing_percent")
    unit = part.feel.setting("", "swing_unit")
    scene = IdeaContext(before, voices, span.tempo_bpm, float(swing), int(unit))
    ticks = min(window_ticks(span, beats), before.length_ticks)
    window = before.length_ticks - ticks
    batch = fills(scene, settings or FillSettings(), seed, window, before.length_ticks, count=1)
    return cut_out(batch.ideas[0].pattern(), window, before.length_ticks)


def cut_out(pattern: Pattern, begin: int, end: int) -> Pattern:
    """A stretch of a pattern by itself.

    Parameters
    ----------
    pattern
        What is written.
    begin
        First tick.
    end
        Tick at which it ends, not part of it.

    Returns
    -------
    Pattern
        The stretch, beginning at tick 0.
    """
    hits = (replace(hit, tick=hit.tick - begin) for hit in pattern.hits if begin <= hit.tick < end)
    return Pattern(end - begin, tuple(hits), pattern.metre)
