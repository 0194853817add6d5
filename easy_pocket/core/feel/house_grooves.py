"""Eight grooves of our own, each described by what it does."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.stages import swung
from easy_pocket.core.feel.template import GrooveTemplate, Lane
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre, ms_per_tick

SIX_EIGHT = Metre(6, 8)
# Beats strong, halves plain, what lies between softer.
EVEN_HAND = (1.0, 0.55, 0.75, 0.55, 0.9, 0.55, 0.75, 0.55, 0.95, 0.55, 0.75, 0.55, 0.9, 0.55, 0.75, 0.55)
BACKBEAT = (0.8, 0.45, 0.6, 0.5, 1.0, 0.45, 0.6, 0.55, 0.75, 0.5, 0.6, 0.5, 1.0, 0.45, 0.6, 0.6)
LATE_BACKBEAT = [5.0, 6.0, 6.0, 7.0, 13.0, 8.0, 7.0, 7.0, 5.0, 6.0, 6.0, 8.0, 14.0, 9.0, 7.0, 6.0]
AHEAD = [-5.0, -6.5, -7.5, -6.5, -5.0, -6.5, -8.0, -6.5, -5.0, -6.5, -7.5, -6.5, -5.0, -6.5, -8.0, -7.0]
DRAG = np.array([0.0, 4, 6, 8, 6, 8, 10, 12, 18, 14, 12, 12, 10, 9, 8, 6])
LILT = [0.0, 3.0, 14.0, 8.0, -7.0, -2.0, 1.0, 4.0, 15.0, 8.0, -6.0, -2.0]
LILT_ACCENTS = [1.0, 0.35, 0.55, 0.35, 0.7, 0.4, 0.9, 0.35, 0.55, 0.35, 0.72, 0.4]


def _lane(offset_ms: Sequence[float], accent: Sequence[float]) -> Lane:
    return Lane(tuple(round(float(value), 3) for value in offset_ms), tuple(accent))


def _groove(
    name: str,
    words: str,
    tempo_bpm: float,
    lanes: Mapping[str, tuple[Sequence[float], Sequence[float]]],
    metre: Metre = COMMON_TIME,
) -> GrooveTemplate:
    slots = len(lanes["all"][0])
    made = {lane: _lane(*values) for lane, values in lanes.items()}
    return GrooveTemplate(name, tempo_bpm, slots, made, 1, metre, "built in", words)


def _swung(percent: float, unit: int, tempo_bpm: float) -> list[float]:
    """Offsets in ms of sixteen 16ths."""
    tick = np.arange(16) * 240
    pair = np.full(16, 2.0 * 3840 // unit)
    return [float(ms) for ms in swung(tick, pair, np.full(16, percent / 100)) * ms_per_tick(tempo_bpm)]


def _shifted(offset_ms: Sequence[float], by_ms: npt.NDArray[np.float64]) -> list[float]:
    return [float(ms) for ms in np.asarray(offset_ms) + by_ms]


def house_grooves() -> dict[str, GrooveTemplate]:
    """By key, in the order they are shown."""
    straight = [0.0] * 16
    dragged = _swung(55, 16, 72)
    return {
        "plumb_line": _groove(
            "Plumb Line", "straight and tight: every hit on its slot, beats a little louder", 100,
            {"all": (straight, EVEN_HAND)},
        ),
        "half_hitch": _groove(
            "Half Hitch", "light swing of the 16ths: every second one a little late and softer", 100,
            {"all": (_swung(54, 16, 100), EVEN_HAND)},
        ),
        "slack_rope": _groove(
            "Slack Rope", "heavy swing of the 16ths: every second one late by an eighth of a beat", 92,
            {"all": (_swung(62, 16, 92), [a * (0.8 if i % 2 else 1) for i, a in enumerate(EVEN_HAND)])},
        ),
        "capstan": _groove(
            "Capstan", "triplet shuffle: straight 8ths turn two to one", 120,
            {"all": (_swung(200 / 3, 8, 120), EVEN_HAND)},
        ),
        "low_tide": _groove(
            "Low Tide", "laid-back backbeat: snares 13 ms behind on 2 and 4, kick in time, hats between", 88,
            {
                "all": ([ms * 0.5 for ms in LATE_BACKBEAT], BACKBEAT),
                "low": ([1.0] * 16, BACKBEAT),
                "mid": (LATE_BACKBEAT, BACKBEAT),
                "high": ([3.0, 4.0] * 8, EVEN_HAND),
            },
        ),
        "brass_lantern": _groove(
            "Brass Lantern", "pushed hats: hats and percussion 5 to 8 ms AHEAD, drums in time", 112,
            {"all": ([ms * 0.4 for ms in AHEAD], EVEN_HAND), "low": (straight, BACKBEAT), "mid": (straight, BACKBEAT),
             "high": (AHEAD, EVEN_HAND)},
        ),
        "dead_slow": _groove(
            "Dead Slow", "half-time DRAG: the bar leans back further until the backbeat on 3, then catches up", 72,
            {
                "all": (_shifted(dragged, DRAG * 0.6), BACKBEAT),
                "low": (_shifted(dragged, DRAG * 0.25), BACKBEAT),
                "mid": (_shifted(dragged, DRAG), BACKBEAT),
                "high": (_shifted(dragged, DRAG * 0.5), EVEN_HAND),
            },
        ),
        "ground_swell": _groove(
            "Ground Swell", "6/8 LILT: the second of three late and light, the third early, leading on", 100,
            {"all": (LILT, LILT_ACCENTS)}, SIX_EIGHT,
        ),
    }  # fmt: skip
