"""The demo loop bollard-mouth: two bars of mouth percussion, as somebody without drums would make them; synthesized
here, so its truth is known. It is also what the simulated microphone hears."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import signal

from easy_pocket.core.audio import Audio

TEMPO_BPM = 92.0
RATE_HZ = 44_100
LINE = "b.t.k.tbb.t.k.t.|b.ttk..tb.b.k.tt"  # b boom, k kh, t ts; a mark is a 16th
LAG_MS = {"b": 2.0, "k": 7.0, "t": -3.0}
HAND_MS = (0.0, 9.0, -2.0, 11.0)  # how far each 16th of a beat leans
VOICE_OF = {"b": "kick", "k": "snare", "t": "hat_closed"}

Floats = npt.NDArray[np.float64]


def written() -> list[tuple[float, str]]:
    """(second, mark) of every sound."""
    slot_s = 60 / TEMPO_BPM / 4
    marks = LINE.replace("|", "")
    return [
        (max(slot * slot_s + (LAG_MS[mark] + HAND_MS[slot % 4]) / 1000, 0.0), mark)
        for slot, mark in enumerate(marks)
        if mark != "."
    ]


def _sound(mark: str, dice: np.random.Generator) -> Floats:
    t = np.arange(int(0.3 * RATE_HZ)) / RATE_HZ
    breath = dice.standard_normal(len(t))
    if mark == "b":  # lips: a falling hum with a puff
        hum = np.sin(2 * np.pi * (92 * t + 9 * (1 - np.exp(-t * 30)))) * np.exp(-t * 19)
        puff = signal.sosfilt(signal.butter(2, 900, fs=RATE_HZ, output="sos"), breath) * np.exp(-t * 70)
        return np.asarray(hum + 0.25 * puff)
    band, dies, level = ((900, 2600), 30, 1.5) if mark == "k" else ((5200, 9800), 48, 1.4)
    formed = signal.sosfilt(signal.butter(2, band, "band", fs=RATE_HZ, output="sos"), breath)
    return np.asarray(formed * level * np.minimum(t / 0.0015, 1) * np.exp(-t * dies))


def bollard_mouth() -> Audio:
    """Mono, exactly two bars, with the room it was made in."""
    dice = np.random.default_rng(11)
    total = round(2 * 4 * 60 / TEMPO_BPM * RATE_HZ)
    line = np.zeros(total + RATE_HZ)
    for time_s, mark in written():
        sound = _sound(mark, dice) * (0.75 + 0.25 * dice.random())
        start = round(time_s * RATE_HZ)
        line[start : start + len(sound)] += sound
    line[:RATE_HZ] += line[total : total + RATE_HZ]
    mono = line[:total] / np.abs(line[:total]).max() * 0.8 + dice.standard_normal(total) * 4e-4
    return Audio(mono.astype(np.float32)[:, None], RATE_HZ, "bollard-mouth.flac")
