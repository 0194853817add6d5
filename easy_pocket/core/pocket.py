"""Measures of a performance: where each voice sits against the grid, and the swing found in it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from easy_pocket.core.perform import Performance


@dataclass(frozen=True)
class VoicePocket:
    """One voice's offsets: mean and standard deviation in ms, number of hits, and each offset in ms."""

    voice: str
    mean_ms: float
    spread_ms: float
    count: int
    offsets_ms: tuple[float, ...]


def pocket_by_voice(performance: Performance) -> list[VoicePocket]:
    """Offsets against the straight grid for every voice with hits, in order of first appearance."""
    offsets = performance.offset_ms
    rows = []
    for index, voice in enumerate(performance.hits.voices):
        mine = offsets[performance.hits.voice_index == index]
        rows.append(VoicePocket(voice, float(mine.mean()), float(mine.std()), len(mine), tuple(mine.tolist())))
    return rows


def found_swing_percent(performance: Performance, unit: int = 16) -> float | None:
    """Where off-beats of the unit fall within their pairs, as the swing setting that would put them there.

    Off-beats are measured against the mean offset of their voice's on-beats, so a constant lag is no swing; a voice
    without on-beats is measured against all of them. None when there is no off-beat hit.
    """
    pair_ticks = 2 * 3840 // unit
    phase = performance.hits.tick % pair_ticks
    off, on = phase == pair_ticks // 2, phase == 0
    if not off.any():
        return None
    pair_ms = pair_ticks * 60_000.0 / (performance.tempo_bpm * 960)
    voice, offset_ms = performance.hits.voice_index, performance.offset_ms
    voices = len(performance.hits.voices)
    count = np.bincount(voice[on], minlength=voices)
    total = np.bincount(voice[on], offset_ms[on], voices)
    overall = offset_ms[on].mean() if on.any() else 0.0
    level_ms = np.where(count > 0, total / np.maximum(count, 1), overall)
    late_ms = np.median(offset_ms[off] - level_ms[voice[off]])
    return float(50.0 + 100.0 * late_ms / pair_ms)
