"""Pictures of units, 122 x 56: a tone over pitch, a drive over a wave, a compressor over level; curves in time."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.stage.compressor import static_reduction_db
from easy_pocket.core.stage.curves import BeatMap, gate_curve, sway_wave
from easy_pocket.core.stage.drive import bent
from easy_pocket.core.stage.filters import response_db
from easy_pocket.core.stage.stage import Unit
from easy_pocket.core.stage.units import Music, curve_of, tone_sections

WIDE, HIGH = 122, 56
Floats = npt.NDArray[np.float64]
HZ = np.geomspace(25, 18_000, 61)
SHOWN_DB = 20.0  # of a tone, up and down


def _path(x: npt.NDArray[np.floating], y: npt.NDArray[np.floating]) -> str:
    points = np.stack([np.clip(x, 0, WIDE), np.clip(y, 1, HIGH - 1)], axis=1)
    return "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in points)


def unit_picture(unit: Unit, music: Music) -> str:
    """The path of the line that stands for the unit."""
    across = np.linspace(0, WIDE, 61)
    value = unit.number
    if unit.kind == "tone":
        return _path(across, HIGH / 2 - response_db(tone_sections(unit), HZ) / SHOWN_DB * HIGH / 2)
    if unit.kind == "drive":
        wave = np.sin(np.linspace(0, 4 * np.pi, 61)) * 0.8
        driven = bent(wave, str(unit.settings["character"]), value("amount_percent"))
        return _path(across, HIGH / 2 - driven / max(float(np.abs(driven).max()), 1e-6) * (HIGH / 2 - 5))
    if unit.kind == "compressor":
        level = np.linspace(-60, 0, 61)
        out = level - static_reduction_db(level, value("threshold_db"), value("ratio"), value("knee_db"))
        return _path(across, -out / 60 * HIGH)
    if unit.kind == "echo":
        again = value("feedback_percent") / 100
        taps = [(n, again ** (n - 1)) for n in range(1, 8)]
        return "M0 4V54" + "".join(f"M{n * 16:.0f} {54 - 46 * size:.1f}V54" for n, size in taps)
    if unit.kind == "wide":
        share = value("width_percent") / 200
        return f"M61 6L{61 - 58 * share:.1f} 50M61 6L{61 + 58 * share:.1f} 50"
    return _curve_picture(unit, music)


def _curve_picture(unit: Unit, music: Music) -> str:
    if unit.kind == "sway":
        curve = sway_wave(unit.settings, BeatMap.steady(0.5, max(unit.number("every_beats"), 0.25)))
        return _path(curve.times_s / curve.times_s[-1] * WIDE, HIGH / 2 - curve.values * (HIGH / 2 - 5))
    if unit.kind == "gate":
        steps = str(unit.settings["steps"])
        curve = gate_curve(unit.settings, BeatMap.steady(0.5, 0.5 * unit.number("step_beats") * max(len(steps), 2)))
        return _path(curve.times_s / curve.times_s[-1] * WIDE, 50 - curve.values * 44)
    shown = Music(music.beats, music.strikes, loops=True)
    found = curve_of(unit, shown)
    assert found is not None
    until = min(found.times_s[-1], 4 * music.beats.beat_s)
    times = np.linspace(0, until, 122)
    gain_db = 20 * np.log10(np.maximum(np.interp(times, found.times_s, found.values), 1e-4))
    return _path(times / until * WIDE, 5 - gain_db / 24 * HIGH)
