"""Chains to begin with, named by what they do."""

from __future__ import annotations

from collections.abc import Mapping

from easy_pocket.core.stage.stage import Unit

PRESETS: Mapping[str, tuple[Unit, ...]] = {
    "tightens a kick": (
        Unit("tone", settings={"low_cut_hz": 32.0, "bell_1_hz": 300.0, "bell_1_db": -3.0, "bell_2_db": 2.5}),
        Unit("compressor", settings={"threshold_db": -22.0, "attack_ms": 18.0, "release_ms": 80.0}),
    ),
    "brings a snare forward": (
        Unit("tone", settings={"low_cut_hz": 90.0, "bell_1_hz": 200.0, "bell_1_db": 2.0, "bell_2_hz": 4_500.0,
                               "bell_2_db": 3.0}),
        Unit("compressor", settings={"threshold_db": -24.0, "ratio": 4.0, "attack_ms": 12.0, "release_ms": 120.0}),
    ),
    "thins cymbals": (Unit("tone", settings={"low_cut_hz": 420.0, "high_shelf_db": 1.5}),),
    "glues percussion": (
        Unit("compressor", settings={"threshold_db": -30.0, "ratio": 2.5, "attack_ms": 12.0, "release_ms": 120.0,
                                     "knee_db": 9.0}),
    ),
    "steps back for the backbone": (Unit("duck", settings={"release_ms": 140.0}),),
    "breathes with the kick": (Unit("duck", settings={"by": "kick", "depth_db": -12.0, "release_ms": 260.0}),),
    "presses hard, mixed in": (
        Unit("compressor", settings={"threshold_db": -38.0, "ratio": 8.0, "attack_ms": 3.0, "release_ms": 60.0,
                                     "mix_percent": 40.0, "makeup_db": 6.0}),
    ),
    "chops into 16ths": (Unit("gate", settings={"steps": "1011", "step_beats": 0.25}),),
    "walks from side to side": (Unit("sway", settings={"every_beats": 4.0, "pan_percent": 55.0}),),
    "opens and closes slowly": (Unit("sway", settings={"every_beats": 16.0, "pan_percent": 0.0,
                                                       "filter_percent": 70.0}),),
    "old and dusty": (
        Unit("tone", settings={"low_cut_hz": 140.0, "high_cut_hz": 6_500.0}),
        Unit("drive", settings={"character": "crush", "amount_percent": 22.0}),
        Unit("wide", settings={"width_percent": 60.0}),
    ),
    "answers a dotted 8th later": (Unit("echo", settings={"beats": 0.75, "mix_percent": 22.0}),),
}  # fmt: skip
