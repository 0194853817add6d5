"""What happens to loops before one gets them: pitched parts, a squashed bus, dull or bright copies, crackle, few bits,
MP3, long rooms. Nothing moves in time, so that the truth of the drums stays as it is."""

from __future__ import annotations

import io
from collections.abc import Callable

import numpy as np
import soundfile
import soxr
from scipy import signal

from easy_pocket.core.stage.compressor import compressed
from easy_pocket.core.stage.filters import filtered, shelf

RATE = 44_100
TONAL_DB = -3.0  # under the drums
MP3_DELAY = 1_105  # samples an encoder and a decoder add, where they do not take it off themselves
LONGEST_ROOM_S = 1.6
# A note: kind ("bass", "chord"), MIDI note, seconds. Shape (frames,).
ToneOf = Callable[[str, int, float, np.random.Generator], np.ndarray]


def made_tone(kind: str, note: int, length_s: float, dice: np.random.Generator) -> np.ndarray:
    """A plucked, struck, blown or bowed note of any colour."""
    t = np.arange(int(length_s * RATE)) / RATE
    hz = 440 * 2 ** ((note - 69) / 12)
    steep, odd = dice.uniform(0.6, 2.2), dice.random() < 0.3
    x = np.zeros(len(t))
    for harmonic in range(1, 14):
        if hz * harmonic > 12_000 or (odd and harmonic % 2 == 0):
            continue
        stretched = harmonic * (1 + dice.uniform(0, 3e-4) * harmonic)
        fade = np.exp(-t * dice.uniform(0.3, 4.0) * harmonic**0.5)
        x += np.sin(2 * np.pi * hz * stretched * t + dice.uniform(0, 6)) / harmonic**steep * fade
    struck = dice.random() < 0.6
    rise_s = dice.uniform(0.001, 0.006) if struck else dice.uniform(0.015, 0.12)
    if struck and dice.random() < 0.5:
        thud = dice.standard_normal(len(t)) * np.exp(-t / dice.uniform(0.003, 0.02))
        x += dice.uniform(0.02, 0.15) * np.abs(x).max() * thud
    x *= np.minimum(1, t / rise_s)
    end = min(len(x), int(0.02 * RATE))
    x[-end:] *= np.linspace(1, 0, end)
    return x


def tonal_part(
    length_s: float, tempo_bpm: float, lead_s: float, total: int, dice: np.random.Generator, tone_of: ToneOf = made_tone
) -> np.ndarray:
    """Bass, chords or both, on beats, before them or between, as loud among themselves as they are."""
    line = np.zeros(total + 6 * RATE)
    root, step_s = int(dice.integers(28, 41)), 30 / tempo_bpm
    bass, chords = dice.random() < 0.8, dice.random() < 0.7
    scale = dice.choice([[0, 3, 5, 7, 10], [0, 2, 4, 7, 9]])
    slots = max(int(length_s / step_s), 1)
    played: list[tuple[str, int, float, float, float]] = []
    at = 0
    while bass and at < slots:
        held = int(dice.choice([1, 1, 2, 3, 4]))
        if dice.random() < 0.8:
            played.append(("bass", root + int(dice.choice(scale)), at * step_s, held * step_s, 1.0))
        at += held
    at = int(dice.choice([0, 0, 1, 3]))
    while (chords or not bass) and at < slots:
        held = int(dice.choice([1, 2, 4, 8]))
        if dice.random() < 0.75:
            for interval in (0, int(dice.choice([3, 4])), 7, int(dice.choice([10, 11, 12]))):
                note = root + 24 + interval
                played.append(("chord", note, at * step_s, held * step_s, float(dice.uniform(0.25, 0.5))))
        at += held
    colours = {kind: int(dice.integers(1 << 30)) for kind in ("bass", "chord")}  # one instrument each
    for kind, note, start_s, lasts_s, level in played:
        own = np.random.default_rng(colours[kind])
        tone = tone_of(kind, note, lasts_s * float(dice.uniform(0.6, 1.1)) + 0.03, own)
        first = round((start_s + lead_s + float(dice.normal(0.004, 0.009))) * RATE)
        begin = max(first, 0)
        piece = tone[begin - first :][: len(line) - begin]
        line[begin : begin + len(piece)] += level * piece / max(np.abs(tone).max(), 1e-9)
    folded = line[:total].copy()
    tail = line[total:]
    folded[: min(len(tail), total)] += tail[:total] * (lead_s == 0)
    return folded


def beneath(drums: np.ndarray, tonal: np.ndarray, level_db: float) -> np.ndarray:
    """Both, the second so much softer or louder."""
    if not tonal.any():
        return drums
    return drums + tonal * np.sqrt(np.mean(drums**2) / np.mean(tonal**2)) * 10 ** (level_db / 20)


def aged(x: np.ndarray, wraps: bool, dice: np.random.Generator) -> np.ndarray:
    """Some of what can happen, in the order in which it does."""
    for chance, change in (
        (0.35, _long_room), (0.55, _squashed), (0.5, _other_tone), (0.3, _crackling), (0.25, _few_bits),
        (0.12, _small_sampler), (0.25, _as_mp3),
    ):  # fmt: skip
        if dice.random() < chance:
            x = change(x / max(np.abs(x).max(), 1e-9) * 0.9, wraps, dice)
    return x


def _long_room(x: np.ndarray, wraps: bool, dice: np.random.Generator) -> np.ndarray:
    rt60_s = float(dice.uniform(0.4, LONGEST_ROOM_S))
    t = np.arange(int(rt60_s * RATE)) / RATE
    room = dice.standard_normal(len(t)) * 10 ** (-3 * t / rt60_s)
    room = signal.sosfilt(signal.butter(1, dice.uniform(2500, 8000), fs=RATE, output="sos"), room)
    room[: int(dice.uniform(0.002, 0.02) * RATE)] = 0
    room *= 10 ** (dice.uniform(-18, -8) / 20) / np.sqrt(np.sum(room**2))
    wet = signal.fftconvolve(x, room)
    found = x + wet[: len(x)]
    if wraps:
        tail = wet[len(x) :][: len(x)]
        found[: len(tail)] += tail
    return found


def _squashed(x: np.ndarray, _wraps: bool, dice: np.random.Generator) -> np.ndarray:
    settings = {
        "threshold_db": float(dice.uniform(-32, -14)), "ratio": float(dice.uniform(2, 10)), "knee_db": 6.0,
        "attack_ms": float(dice.choice([0.5, 3, 10, 30])), "release_ms": float(dice.choice([40, 80, 160, 300])),
        "makeup_db": 0.0, "mix_percent": 100.0,
    }  # fmt: skip
    both = np.stack([x, x])
    return np.asarray(compressed(both, both, settings)[0][0])


def _other_tone(x: np.ndarray, _wraps: bool, dice: np.random.Generator) -> np.ndarray:
    if dice.random() < 0.6:  # dull
        return np.asarray(signal.sosfilt(signal.butter(1, dice.uniform(1800, 7000), fs=RATE, output="sos"), x))
    return filtered(shelf(float(dice.uniform(2000, 6000)), float(dice.uniform(4, 12)), high=True), x[None])[0]


def _crackling(x: np.ndarray, _wraps: bool, dice: np.random.Generator) -> np.ndarray:
    clicks = np.zeros(len(x))
    count = dice.poisson(dice.uniform(4, 40) * len(x) / RATE)
    clicks[dice.integers(0, len(x), count)] = dice.standard_normal(count) * dice.exponential(1.0, count)
    clicks = signal.sosfilt(signal.butter(1, (800, 9000), "band", fs=RATE, output="sos"), clicks)
    hiss = dice.standard_normal(len(x)) * 10 ** (dice.uniform(-66, -50) / 20)
    level = 10 ** (dice.uniform(-42, -24) / 20)
    return np.asarray(x + clicks / max(np.abs(clicks).max(), 1e-9) * level * np.abs(x).max() + hiss)


def _few_bits(x: np.ndarray, _wraps: bool, dice: np.random.Generator) -> np.ndarray:
    steps = 2.0 ** (int(dice.choice([8, 10, 12])) - 1)
    return np.round(x * steps) / steps


def _small_sampler(x: np.ndarray, _wraps: bool, dice: np.random.Generator) -> np.ndarray:
    """At 8 to 22 kHz, in 8 or 12 bits."""
    slow_hz = int(dice.choice([8000, 8000, 11_025, 16_000, 22_050]))
    slow = _few_bits(soxr.resample(x, RATE, slow_hz) * 0.95, False, np.random.default_rng(int(dice.integers(99))))
    back = soxr.resample(slow, slow_hz, RATE)
    return np.pad(back, (0, max(len(x) - len(back), 0)))[: len(x)]


def _as_mp3(x: np.ndarray, _wraps: bool, dice: np.random.Generator) -> np.ndarray:
    file = io.BytesIO()
    level = float(dice.choice([0.5, 0.7, 0.9]))  # 1 is the smallest file
    soundfile.write(file, x, RATE, format="MP3", compression_level=level)
    file.seek(0)
    back = np.asarray(soundfile.read(file, dtype="float64")[0])
    if len(back) >= len(x) + MP3_DELAY:
        back = back[_delay(x, back) :]
    return np.pad(back, (0, max(len(x) - len(back), 0)))[: len(x)]


def _delay(x: np.ndarray, back: np.ndarray) -> int:
    """By how many samples a copy comes later."""
    count = min(len(x), 4 * RATE)
    likeness = signal.correlate(back[: count + 4096], x[:count], "valid", "fft")
    return int(np.argmax(likeness))
