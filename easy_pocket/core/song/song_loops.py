"""Loops under the song: over which bars of a span one plays, and the stack it plays under there."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.stages import TIME_STAGES, VELOCITY_STAGES
from easy_pocket.core.listen.layered_loop import LayerSettings
from easy_pocket.core.pattern.pattern import HitArrays
from easy_pocket.core.song.arrangement import Span
from easy_pocket.core.song.perform_song import SongPerformance


def layer_in_span(settings: LayerSettings, span: Span, sections: tuple[int, ...] = ()) -> LayerSettings | None:
    """A loop over the bars of a span, None where it rests.

    One that plays in sections (their keys) begins anew with each; one that goes by its bars goes on through the
    song.

    Parameters
    ----------
    settings
        How the loop plays in the song.
    span
        A section in its place in the song.
    sections
        Keys of the sections in which it plays; none goes by its bars.

    Returns
    -------
    LayerSettings | None
        Settings for this span, or None.
    """
    if sections:
        return replace(settings, muted=False, from_bar=1, to_bar=0) if span.section.key in sections else None
    first = max(settings.from_bar - span.first_bar + 1, 1)
    last = settings.to_bar - span.first_bar + 1 if settings.to_bar else 0
    if first > span.bars or (settings.to_bar and last < first):
        return None
    gone = max(span.first_bar - settings.from_bar, 0) * span.metre.bar_ticks
    start = settings.start_ticks + (gone % settings.cycle_ticks if settings.cycle_ticks else gone)
    return replace(settings, from_bar=first, to_bar=min(last, span.bars), start_ticks=start)


def stack_of(played: SongPerformance, span: Span) -> Performance:
    """All parts together in a span, as one performance of its length: what a loop makes room for, or goes to."""
    voices: dict[str, int] = {}
    columns: list[tuple[np.ndarray, ...]] = []
    for part in played.parts:
        here = np.flatnonzero(part.span == span.number)
        index = np.array([voices.setdefault(name, len(voices)) for name in part.hits.voices], dtype=np.intp)
        columns.append(
            (
                index[part.hits.voice_index[here]] if len(index) else np.zeros(0, dtype=np.intp),
                part.hits.tick[here] - span.start_tick,
                part.velocity[here],
                part.straight_ms[here] - span.start_ms,
                part.played_ms[here] - span.start_ms,
            )
        )
    voice, tick, velocity, straight_ms, played_ms = (np.concatenate(column) for column in zip(*columns, strict=True))
    order = np.argsort(tick, kind="stable")
    count = len(order)
    nothing = np.zeros(count)
    hits = HitArrays(tuple(voices), voice[order], tick[order], velocity[order], nothing, nothing.astype(np.int64))
    return Performance(
        hits=hits,
        tempo_bpm=span.tempo_bpm,
        length_ms=span.length_ms,
        metre=span.metre,
        straight_ms=straight_ms[order],
        played_ms=played_ms[order],
        velocity=velocity[order],
        amounts_ms=np.zeros((len(TIME_STAGES), count)),
        amounts_velocity=np.zeros((len(VELOCITY_STAGES), count), dtype=np.int64),
        swing=tuple((480.0, 0.5) for _ in voices),
    )
