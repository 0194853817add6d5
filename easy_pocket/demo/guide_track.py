"""A guide of our own: plucked chords over some bars, a little loose, as someone would play them to have an idea."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.audio import Audio
from easy_pocket.core.sound.tones import RATE_HZ

CHORDS = ((110.0, 164.81, 220.0, 277.18), (98.0, 146.83, 196.0, 246.94), (123.47, 185.0, 246.94, 293.66),
          (82.41, 123.47, 164.81, 207.65))  # fmt: skip
STRUMS = (0.0, 1.0, 1.64, 2.0, 3.0, 3.64)  # beats of a bar; between them the swing of the song
LEAD_S = 0.5
RINGS_S = 1.2
LOOSE_S, APART_S = 0.008, 0.012


def pluck(hz: float, time: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """One string: four overtones, the higher the sooner gone."""
    tones = [np.sin(2 * np.pi * hz * k * time) * 0.6**k * np.exp(-time * (2 + k)) for k in (1, 2, 3, 4)]
    return np.asarray(np.minimum(time / 0.004, 1.0) * np.sum(tones, axis=0))


def guide_track(tempo_bpm: float, bars: int) -> Audio:
    """So many bars of four beats; the first begins LEAD_S into it."""
    dice = np.random.default_rng(7)
    beat_s = 60.0 / tempo_bpm
    x = np.zeros(round((LEAD_S + bars * 4 * beat_s + RINGS_S) * RATE_HZ))
    time = np.arange(round(RINGS_S * RATE_HZ)) / RATE_HZ
    strings = {hz: pluck(hz, time) for chord in CHORDS for hz in chord}
    for bar in range(bars):
        for strum, beat in enumerate(STRUMS):
            at_s = LEAD_S + (bar * 4 + beat) * beat_s + dice.normal(0, LOOSE_S)
            for string, hz in enumerate(CHORDS[bar % len(CHORDS)]):
                start = round((at_s + string * APART_S) * RATE_HZ)
                loud = (0.16 if strum in (0, 3) else 0.09) * (0.9 + 0.2 * dice.random())
                x[start : start + len(time)] += loud * strings[hz]
    return Audio(np.asarray(x[:, None], dtype=np.float32), RATE_HZ, "harbour-strings.flac")
