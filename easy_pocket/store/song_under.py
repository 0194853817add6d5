"""Loops under the song: in which of its spans each plays, and to what."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from easy_pocket.core.pattern import HitArrays
from easy_pocket.core.perform import TIME_STAGES, VELOCITY_STAGES, Performance
from easy_pocket.core.song.arrangement import Span
from easy_pocket.core.song.played import SongPlayed
from easy_pocket.store.songs import LoadedSong
from easy_pocket.store.under_rows import UnderLoop


def under_in_song(song: LoadedSong, played: SongPlayed) -> list[tuple[float, UnderLoop, Performance]]:
    """(start in s, the loop as it plays there, the stack it plays under) for every span in which one plays."""
    found = []
    for one in song.under:
        muted = any(doc["loop_id"] == one.row.id and doc.get("muted") for doc in song.row.under or ())
        if muted:
            continue
        for span in played.song.spans:
            there = in_span(one, span)
            if there is not None:
                found.append((span.start_ms / 1000, there, stack_of(played, span)))
    return found


def in_span(one: UnderLoop, span: Span) -> UnderLoop | None:
    """The loop over the bars of a span, None where it rests. One that goes by its bars goes on through the song; one
    that plays in sections begins anew with each."""
    if one.section_ids:
        if span.section.key not in one.section_ids:
            return None
        return replace(one, under=replace(one.under, muted=False, from_bar=1, to_bar=0))
    first = max(one.under.from_bar - span.first_bar + 1, 1)
    last = one.under.to_bar - span.first_bar + 1 if one.under.to_bar else 0
    if first > span.bars or (one.under.to_bar and last < first):
        return None
    gone = max(span.first_bar - one.under.from_bar, 0) * span.metre.bar_ticks
    start = one.under.start_ticks + (gone % one.under.cycle_ticks if one.under.cycle_ticks else gone)
    return replace(one, under=replace(one.under, from_bar=first, to_bar=min(last, span.bars), start_ticks=start))


def stack_of(played: SongPlayed, span: Span) -> Performance:
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
