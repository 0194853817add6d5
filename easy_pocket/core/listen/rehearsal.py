"""A moment of listening before anybody asks, so that what is compiled or read at the first use is ready."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.listen.signals import RATE_HZ

LENGTH_S, CLICKS = 3.0, 16


def rehearse() -> None:
    """Hear clicks in no order, for which every way of reading is tried, then some a quarter of a second apart."""
    dice = np.random.default_rng(1)
    frames = int(LENGTH_S * RATE_HZ)
    click = dice.normal(0, 0.3, 2000) * np.exp(-np.arange(2000) / 400)
    for places in (np.sort(dice.integers(0, frames - 2000, CLICKS)), np.arange(12) * frames // 12):
        samples = dice.normal(0, 1e-4, (frames, 2)).astype(np.float32)
        for place in places.tolist():
            samples[place : place + 2000] += click[:, None].astype(np.float32)
        analyze_loop(Audio(samples, RATE_HZ, "clicks"), keep_unheard=True)
