"""Three invented hands: how they lean and wander is written down here, nothing was recorded."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from easy_pocket.core.pattern.timebase import COMMON_TIME
from easy_pocket.core.pattern.voices import DRUMS, band_of
from easy_pocket.core.takes.hand import Hand
from easy_pocket.core.takes.wander_fit import Figure

SLOTS = 16
SAID = 64  # hits a slot counts as
STRONG = np.array([1.0, 0.55, 0.75, 0.6, 0.92, 0.55, 0.75, 0.6, 0.97, 0.55, 0.75, 0.62, 0.92, 0.55, 0.78, 0.66])
NARROW = 0.05


def _figure(value: float) -> Figure:
    return Figure(round(value, 4), round(value - NARROW * abs(value), 4), round(value + NARROW * abs(value), 4))


def _hand(
    name: str,
    tempo_bpm: float,
    swing_percent: float,
    lean_ms: Mapping[str, tuple[float, float]],
    loud: float,
    depth: float,
    loose: tuple[float, float, float, float],
) -> Hand:
    """lean_ms: by band, on beats and between them; loose: drift, its slope, jitter, touch."""
    drift, slope, jitter, touch = loose
    leans, accents = {}, {}
    for voice in DRUMS:
        on, between = lean_ms.get(band_of(voice), lean_ms["all"])
        leans[voice] = tuple(_figure(on if slot % 4 == 0 else between) for slot in range(SLOTS))
        accents[voice] = tuple(_figure(loud * (1 - depth * (1 - strong))) for strong in STRONG.tolist())
    return Hand(
        name=name,
        metre=COMMON_TIME,
        step_ticks=240,
        tempos_bpm=(tempo_bpm,),
        count=SAID * SLOTS,
        lean_ms=leans,
        accents=accents,
        counts=dict.fromkeys(DRUMS, (SAID,) * SLOTS),
        swing_percent=_figure(swing_percent),
        drift_sd_ms=_figure(drift),
        drift_slope=_figure(slope),
        jitter_sd_ms=_figure(jitter),
        touch_sd=_figure(touch),
        touch_slow_sd=touch / 3,
    )


HOUSE_HANDS = {
    "capstan": _hand(
        "Capstan", 96.0, 54.0, {"all": (0.0, 1.0), "low": (-1.0, 0.0), "mid": (7.0, 4.0), "high": (-3.0, -1.0)},
        100.0, 0.45, (3.0, 1.0, 4.0, 6.0),
    ),
    "slipway": _hand(
        "Slipway", 84.0, 59.0, {"all": (6.0, 9.0), "low": (4.0, 6.0), "mid": (13.0, 11.0), "high": (5.0, 8.0)},
        88.0, 0.6, (6.0, 1.2, 5.5, 9.0),
    ),
    "foghorn": _hand(
        "Foghorn", 118.0, 50.0, {"all": (-3.0, -4.0), "low": (-2.0, -3.0), "mid": (-1.0, -2.0), "high": (-6.0, -5.0)},
        112.0, 0.3, (2.0, 0.8, 3.0, 4.0),
    ),
}  # fmt: skip
