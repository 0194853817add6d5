"""What loops that are made hold beside drums, and what is done to them: a bass line and chords, a room, drive, hiss."""

from __future__ import annotations

import numpy as np
from scipy import signal

RATE = 44_100


def tonal(length_s: float, tempo_bpm: float, lead_s: float, total: int, dice: np.random.Generator) -> np.ndarray:
    """A bass line, and sometimes chords."""
    line = np.zeros(total + 3 * RATE)
    beat_s = 60 / tempo_bpm
    root = int(dice.integers(28, 40))
    chords = dice.random() < 0.5
    at = 0.0
    while at < length_s:
        note = root + int(dice.choice([0, 0, 3, 5, 7, 10]))
        lasts_s = beat_s * float(dice.choice([0.5, 1, 1.5]))
        t = np.arange(int(lasts_s * RATE)) / RATE
        hz = 440 * 2 ** ((note - 69) / 12)
        tone = (
            sum(np.sin(2 * np.pi * hz * k * t) / k**1.5 for k in range(1, 6))
            * np.minimum(1, t / 0.008)
            * np.exp(-t * 2.5)
        )
        tone[-200:] *= np.linspace(1, 0, 200)
        start = max(int((at + lead_s + dice.normal(0, 0.006) + 0.02) * RATE), 0)
        line[start : start + len(tone)] += tone
        if chords and dice.random() < 0.4:
            for interval in (0, 3, 7, 10):
                hz = 440 * 2 ** ((root + 24 + interval - 69) / 12)
                line[start : start + len(tone)] += (
                    0.25 * np.sin(2 * np.pi * hz * t) * np.minimum(1, t / 0.012) * np.exp(-t * 1.5)
                )
        at += lasts_s
    return line[:total]


def effects(x: np.ndarray, wraps: bool, dice: np.random.Generator) -> np.ndarray:
    if dice.random() < 0.4:
        rt60_s = float(dice.uniform(0.25, 0.8))
        t = np.arange(int(rt60_s * RATE)) / RATE
        room = dice.standard_normal(len(t)) * 10 ** (-3 * t / rt60_s)
        room = signal.sosfilt(signal.butter(2, 5000, fs=RATE, output="sos"), room)
        room *= 10 ** (dice.uniform(-20, -12) / 20) / np.sqrt(np.sum(room**2))
        wet = signal.fftconvolve(x, room)
        folded = wet[: len(x)].copy()
        if wraps:
            folded[: len(room) - 1] += wet[len(x) :][: len(x)]
        x = x + folded
    if dice.random() < 0.35:
        drive = float(dice.uniform(1.5, 3.0))
        x = np.tanh(x / np.abs(x).max() * drive)
    if dice.random() < 0.35:
        x = x + dice.standard_normal(len(x)) * np.abs(x).max() * 10 ** (dice.uniform(-62, -48) / 20)
    return x
