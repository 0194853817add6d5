"""Drum sounds computed from a few settings: `model(settings, strength, noise) -> mono float64` at 44.1 kHz.

strength is 0-1, how hard the sound is struck: harder is brighter and longer as well as louder (level itself is set
by the kit). noise is a seeded generator, so a sound is the same on every machine.
"""

from __future__ import annotations

from easy_pocket.core.sound.metal_models import bell, cymbal, hat, shaker, sweep, tambourine
from easy_pocket.core.sound.skin_models import clap, conga, kick, rim, snare, tom, wood
from easy_pocket.core.sound.tones import Model

MODELS: dict[str, Model] = {
    "kick": kick,
    "snare": snare,
    "rim": rim,
    "clap": clap,
    "hat": hat,
    "tom": tom,
    "cymbal": cymbal,
    "shaker": shaker,
    "tambourine": tambourine,
    "conga": conga,
    "wood": wood,
    "bell": bell,
    "sweep": sweep,
}
