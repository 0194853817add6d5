"""Sounds that are no drums: of a mouth, of hands on a table, and of nothing in particular."""

from __future__ import annotations

import numpy as np
from scipy import signal

RATE_HZ = 44_100
LOW, MIDDLE, HIGH = "low", "middle", "high"
PART_OF = {
    "kick": LOW, "tom_low": LOW, "tom_mid": MIDDLE, "tom_high": MIDDLE, "snare": MIDDLE, "clap": MIDDLE, "rim": MIDDLE,
    "conga_low": LOW, "conga_high": MIDDLE,
}  # fmt: skip


def _band(low_hz: float, high_hz: float, x: np.ndarray) -> np.ndarray:
    sos = signal.butter(2, (low_hz, min(high_hz, 20_000.0)), "band", fs=RATE_HZ, output="sos")
    return np.asarray(signal.sosfilt(sos, x))


def _time(length_s: float = 0.4) -> np.ndarray:
    return np.arange(int(length_s * RATE_HZ)) / RATE_HZ


def _steady(x: np.ndarray) -> np.ndarray:
    return x / max(np.abs(x).max(), 1e-9)


def mouth(voice: str, dice: np.random.Generator) -> np.ndarray:
    """Lips that hum and puff, a k, a t: breath through an opening of one or two resonances."""
    t, part = _time(), PART_OF.get(voice, HIGH)
    breath = dice.standard_normal(len(t))
    rise = np.minimum(1, t / dice.uniform(0.0005, 0.006))
    if part == LOW:
        hz, falls_hz = dice.uniform(70, 150), dice.uniform(0, 60)
        hum = np.sin(2 * np.pi * (hz * t + falls_hz / 30 * (1 - np.exp(-30 * t)))) * np.exp(-t * dice.uniform(14, 40))
        if dice.random() < 0.5:
            hum += dice.uniform(0.1, 0.4) * hum * np.sin(2 * np.pi * hz * t)
        puff = _band(dice.uniform(60, 300), dice.uniform(700, 2500), breath) * np.exp(-t * dice.uniform(40, 100))
        return np.asarray((hum + dice.uniform(0.05, 0.5) * _steady(puff)) * rise)
    if part == MIDDLE:
        low_hz = dice.uniform(500, 2000)
        sound = _steady(_band(low_hz, low_hz * dice.uniform(1.5, 4), breath) * np.exp(-t * dice.uniform(18, 60)))
        if dice.random() < 0.5:
            second = dice.uniform(2500, 5000)
            sound += dice.uniform(0.1, 0.6) * _steady(
                _band(second, second * 1.5, breath) * np.exp(-t * dice.uniform(20, 70))
            )
        return np.asarray(sound * rise)
    low_hz = dice.uniform(3500, 7000)
    long = voice in ("hat_open", "ride", "crash")
    dies = dice.uniform(8, 25) if long else dice.uniform(30, 110)
    return np.asarray(_band(low_hz, low_hz * dice.uniform(1.3, 2.2), breath) * np.exp(-t * dies) * rise)


def table(voice: str, dice: np.random.Generator) -> np.ndarray:
    """A palm, a knuckle, a nail: a few damped modes of a board under a short knock."""
    t, part = _time(), PART_OF.get(voice, HIGH)
    hz, count, dies, knock = {
        LOW: (dice.uniform(70, 180), 5, dice.uniform(18, 50), (100, 900)),
        MIDDLE: (dice.uniform(200, 700), 5, dice.uniform(30, 90), (500, 4000)),
        HIGH: (dice.uniform(900, 3000), 4, dice.uniform(60, 200), (1500, 10_000)),
    }[part]
    modes = hz * np.cumprod(dice.uniform(1.1, 1.9, count))
    sound = np.sum(
        [
            np.sin(2 * np.pi * mode * t + dice.uniform(0, 6)) * np.exp(-t * dies * (mode / hz) ** 0.5) / (1 + k)
            for k, mode in enumerate((hz, *modes))
        ],
        axis=0,
    )
    noise = _band(*knock, dice.standard_normal(len(t))) * np.exp(-t / dice.uniform(0.001, 0.008))
    return np.asarray(_steady(sound) + dice.uniform(0.2, 1.5) * _steady(noise))


def burst(_voice: str, dice: np.random.Generator) -> np.ndarray:
    """A tap, a puff, a click: noise or a few tones in some band, that starts and dies away somehow."""
    t = _time()
    low_hz = float(np.exp(dice.uniform(np.log(60), np.log(6000))))
    if dice.random() < 0.7:
        wide = low_hz < 1000 and dice.random() < 0.5
        band = (low_hz, 16_000.0 if wide else min(low_hz * float(dice.uniform(1.5, 6)), 18_000.0))
        body = _band(*band, dice.standard_normal(len(t)))
    else:
        body = np.sum([np.sin(2 * np.pi * low_hz * ratio * t) for ratio in dice.uniform(1, 3, 3)], axis=0)
    rise_s, decay_s = dice.uniform(0.0002, 0.004), float(np.exp(dice.uniform(np.log(0.008), np.log(0.15))))
    return np.asarray(body * np.minimum(1, t / rise_s) * np.exp(-t / decay_s))
