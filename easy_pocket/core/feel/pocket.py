"""Measures of a performance: where each voice sits against the grid, the swing found in it, its accents."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.pattern.timebase import ms_per_tick

Floats = npt.NDArray[np.float64]
UNITS = (16, 8)


@dataclass(frozen=True)
class SwingMeasure:
    """Where off-beats of a unit (8ths or 16ths) fall within their pairs, as the swing setting that puts them there."""

    percent: float
    unit: int

    @property
    def ratio(self) -> float:
        """Long to short note; triplets are 2."""
        return self.percent / max(100.0 - self.percent, 1e-9)


@dataclass(frozen=True)
class VoicePocket:
    """One voice's offsets: mean and standard deviation in ms, number of hits, and each offset in ms.

    swing: None when the voice has no off-beats. accents: mean velocity by slot of the bar, NaN where it never plays.
    """

    voice: str
    mean_ms: float
    spread_ms: float
    count: int
    offsets_ms: tuple[float, ...]
    swing: SwingMeasure | None = None
    accents: tuple[float, ...] = ()


Chosen = npt.NDArray[np.bool_]


def pocket_by_voice(performance: Performance, chosen: Chosen | None = None, step_ticks: int = 240) -> list[VoicePocket]:
    """Offsets against the straight grid for every voice with hits (of the chosen ones), in order of appearance.

    The accents are counted in slots of step_ticks.

    Parameters
    ----------
    performance
        Hits as they are played.
    chosen
        Which hits count, shape (n,); None for all.
    step_ticks
        Length of the slots in which accents are counted, in ticks.

    Returns
    -------
    list[VoicePocket]
        Mean, spread, swing and accents of each voice.
    """
    if performance.heard is not None:
        chosen = performance.heard if chosen is None else chosen & performance.heard
    offsets = performance.offset_ms
    rows = []
    for index, voice in enumerate(performance.hits.voices):
        own = performance.hits.voice_index == index
        own = own if chosen is None else own & chosen
        if not own.any():
            continue
        mine = offsets[own]
        rows.append(
            VoicePocket(
                voice,
                float(mine.mean()),
                float(mine.std()),
                len(mine),
                tuple(mine.tolist()),
                measure_swing(performance, own),
                accent_profile(performance, own, step_ticks),
            )
        )
    return rows


def measure_swing(performance: Performance, chosen: Chosen | None = None) -> SwingMeasure | None:
    """The swing of the 16ths, or of the 8ths when nothing lies between those; None when there are no off-beats."""
    for unit in UNITS:
        percent = found_swing_percent(performance, unit, chosen)
        if percent is not None:
            return SwingMeasure(percent, unit)
    return None


def found_swing_percent(performance: Performance, unit: int = 16, chosen: Chosen | None = None) -> float | None:
    """Where off-beats of the unit fall within their pairs, as the swing setting that would put them there.

    An off-beat is written on the half of its pair, or, as triplets, on the third third. Off-beats are measured
    against the mean offset of their voice's on-beats, so a constant lag is no swing; a voice without on-beats is
    measured against all of them. None when there is no off-beat hit.

    Parameters
    ----------
    performance
        Hits as they are played.
    unit
        Which notes swing: 8 or 16.
    chosen
        Which hits count, shape (n,); None for all.

    Returns
    -------
    float | None
        Swing in percent, 50 is straight.
    """
    hits = performance.hits
    pair_ticks = 2 * 3840 // unit
    phase = hits.tick % pair_ticks
    on, off = phase == 0, (phase == pair_ticks // 2) | (phase * 3 == pair_ticks * 2)
    if chosen is not None:
        on, off = on & chosen, off & chosen
    if not off.any():
        return None
    pair_ms = pair_ticks * ms_per_tick(performance.tempo_bpm)
    voice, offset_ms = hits.voice_index, performance.offset_ms
    voices = len(hits.voices)
    count = np.bincount(voice[on], minlength=voices)
    total = np.bincount(voice[on], offset_ms[on], voices)
    overall = offset_ms[on].mean() if on.any() else 0.0
    level_ms = np.where(count > 0, total / np.maximum(count, 1), overall)
    late_ms = np.median(offset_ms[off] - level_ms[voice[off]] + (phase[off] / pair_ticks - 0.5) * pair_ms)
    return float(50.0 + 100.0 * late_ms / pair_ms)


def accent_profile(performance: Performance, chosen: Chosen, step_ticks: int = 240) -> tuple[float, ...]:
    """Mean velocity by slot of the bar, NaN where nothing is played.

    Parameters
    ----------
    performance
        Hits as they are played.
    chosen
        Which hits count, shape (n,).
    step_ticks
        Length of a slot in ticks.

    Returns
    -------
    tuple[float, ...]
        Velocity of each slot of the bar.
    """
    slots = max(performance.metre.bar_ticks // step_ticks, 1)
    slot = np.rint(performance.hits.tick[chosen] % performance.metre.bar_ticks / step_ticks).astype(np.intp) % slots
    count = np.bincount(slot, minlength=slots)
    total = np.bincount(slot, performance.velocity[chosen].astype(np.float64), slots)
    return tuple(np.where(count > 0, total / np.maximum(count, 1), np.nan).tolist())
