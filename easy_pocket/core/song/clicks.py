"""The click: when it sounds on bars, beats and between them, and its own three sounds."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.sound.tones import RATE_HZ

Floats = npt.NDArray[np.float64]
KINDS = ("bar", "beat", "between")
HZ = (1_760.0, 1_320.0, 990.0)
SIZES = (1.0, 0.7, 0.4)
LENGTH_S, FADES_S = 0.045, 0.009


@dataclass(frozen=True)
class Clicks:
    """times_s: ascending, from the beginning; kinds: as many, an index into KINDS; bar_s: how long the first bar is."""

    times_s: Floats
    kinds: npt.NDArray[np.int64]
    bar_s: float


def _of_ticks(length_ticks: int, metre: Metre) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Ticks and kinds: beats as one counts them, and halves of them (thirds of dotted ones)."""
    pulse = metre.pulse_ticks
    step = metre.beat_ticks if pulse > metre.beat_ticks else pulse // 2
    ticks = np.arange(0, length_ticks, step)
    within = ticks % metre.bar_ticks
    return ticks, np.where(within == 0, 0, np.where(within % pulse == 0, 1, 2))


def loop_clicks(length_ticks: int, metre: Metre, tempo_bpm: float) -> Clicks:
    """Of a pattern that goes round.

    Parameters
    ----------
    length_ticks
        How long it is; bars are counted from its beginning.
    metre, tempo_bpm
        Of it.
    """
    ticks, kinds = _of_ticks(length_ticks, metre)
    tick_s = ms_per_tick(tempo_bpm) / 1000
    return Clicks(np.asarray(ticks * tick_s, dtype=np.float64), kinds, metre.bar_ticks * tick_s)


def song_clicks(song: Arrangement) -> Clicks:
    """Of a whole song, through its changes of tempo and metre."""
    times: list[Floats] = [np.zeros(0)]
    kinds: list[npt.NDArray[np.int64]] = [np.zeros(0, dtype=np.int64)]
    bar_s = 0.0
    for span in song.spans:
        ticks, own = _of_ticks(span.ticks, span.metre)
        tick_s = ms_per_tick(span.tempo_bpm) / 1000
        times.append(np.asarray(span.start_ms / 1000 + ticks * tick_s, dtype=np.float64))
        kinds.append(own)
        bar_s = bar_s or span.metre.bar_ticks * tick_s
    return Clicks(np.concatenate(times), np.concatenate(kinds), bar_s)


def click_sound(kind: str) -> npt.NDArray[np.float32]:
    """A short tone: shape (frames, 1) at 44.1 kHz; high on the bar, lower and softer on beats and between them."""
    number = KINDS.index(kind)
    time = np.arange(round(LENGTH_S * RATE_HZ)) / RATE_HZ
    tone = np.sin(2 * np.pi * HZ[number] * time) + 0.3 * np.sin(2 * np.pi * 2.76 * HZ[number] * time)
    shape = np.minimum(time / 0.0006, 1.0) * np.exp(-time / FADES_S) * np.minimum((LENGTH_S - time) / 0.005, 1.0)
    x = SIZES[number] * 0.5 * tone * shape
    return np.ascontiguousarray(x[:, None], dtype=np.float32)
