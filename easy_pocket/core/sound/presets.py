"""Sounds of our own to begin from: models with settings worth having, named by what one hears."""

from __future__ import annotations

from dataclasses import dataclass

from easy_pocket.core.sound.controls import settings_with
from easy_pocket.core.sound.sound import Sound


@dataclass(frozen=True)
class Preset:
    """A sound to begin with, and the role it is for."""

    name: str
    role: str
    sound: Sound


def _preset(name: str, role: str, model: str, room: float = 0.0, **settings: float) -> Preset:
    return Preset(name, role, Sound(model, settings_with(model, **settings), seed=sum(map(ord, name)), room=room))


PRESETS: tuple[Preset, ...] = (
    _preset("kick, round", "kick", "kick", 0.3, tune_hz=52, length_s=0.16, sweep_hz=90, click=0.35, skin=0.35, drive=0.05),
    _preset("kick, felt beater", "kick", "kick", 0.6, tune_hz=58, length_s=0.11, sweep_hz=60, click=0.15, skin=0.6, drive=0),
    _preset("kick, hard beater", "kick", "kick", 0.4, tune_hz=61, length_s=0.1, sweep_hz=120, click=1, skin=0.4, drive=0.1),
    _preset("kick, long and low", "kick", "kick", tune_hz=41, length_s=0.5, sweep_hz=160, sweep_s=0.04, click=0.2, skin=0),
    _preset("kick, short thud", "kick", "kick", tune_hz=66, length_s=0.07, sweep_hz=180, sweep_s=0.015, click=0.5, skin=0),
    _preset("kick, driven", "kick", "kick", tune_hz=50, length_s=0.22, sweep_hz=320, click=0.7, drive=0.9, skin=0),
    _preset("kick, dive", "kick", "kick", tune_hz=38, length_s=0.3, sweep_hz=520, sweep_s=0.07, click=0.3, drive=0.5, skin=0),
    _preset("snare, open", "snare", "snare", 0.8, tune_hz=182, balance=0.5, length_s=0.11, tone_hz=9500, snap=0.5),
    _preset("snare, tight", "snare", "snare", 0.4, tune_hz=228, balance=0.55, length_s=0.045, tone_hz=12_500, snap=0.8),
    _preset("snare, deep", "snare", "snare", 0.7, tune_hz=142, balance=0.42, length_s=0.13, tone_hz=7000, snap=0.35),
    _preset("snare, body only", "snare", "snare", 0.5, tune_hz=205, balance=0.12, length_s=0.06, tone_hz=8000, snap=0.2),
    _preset("snare, wires only", "snare", "snare", tune_hz=190, balance=0.97, length_s=0.09, tone_hz=14_000, snap=0.6),
    _preset("snare, crack", "snare", "snare", tune_hz=330, balance=0.6, length_s=0.035, tone_hz=17_000, snap=1),
    _preset("snare, long hiss", "snare", "snare", tune_hz=176, balance=0.8, length_s=0.28, tone_hz=11_000, snap=0.4),
    _preset("rim, woody", "rim", "rim", 0.6, tune_hz=980, length_s=0.026, click=0.4),
    _preset("rim, sharp", "rim", "rim", tune_hz=2100, length_s=0.01, click=0.7),
    _preset("rim, tuned tick", "rim", "rim", tune_hz=1500, length_s=0.04, click=0.1),
    _preset("clap, room full", "clap", "clap", 1.0, spread_s=0.013, count=6, length_s=0.09, tone_hz=1300),
    _preset("clap, two hands", "clap", "clap", 0.3, spread_s=0.005, count=2, length_s=0.03, tone_hz=1600),
    _preset("clap, machine", "clap", "clap", spread_s=0.0098, count=4, length_s=0.13, tone_hz=1000),
    _preset("clap, wide", "clap", "clap", spread_s=0.021, count=5, length_s=0.07, tone_hz=1150),
    _preset("hat, tight", "hat_closed", "hat", bright_hz=7200, length_s=0.02, metal=0.7, base_hz=410),
    _preset("hat, loose", "hat_closed", "hat", 0.4, bright_hz=5200, length_s=0.075, metal=0.5, base_hz=320),
    _preset("hat, dark", "hat_closed", "hat", 0.3, bright_hz=3600, length_s=0.045, metal=0.45, base_hz=280),
    _preset("hat, fizz", "hat_closed", "hat", bright_hz=9500, length_s=0.035, metal=0.15, base_hz=500),
    _preset("hat, open and dark", "hat_open", "hat", 0.4, bright_hz=4200, length_s=0.42, metal=0.5, base_hz=300),
    _preset("hat, open and thin", "hat_open", "hat", bright_hz=8600, length_s=0.28, metal=0.75, base_hz=470),
    _preset("hat, half open", "hat_open", "hat", 0.3, bright_hz=5600, length_s=0.16, metal=0.55, base_hz=340),
    _preset("hat, foot", "hat_pedal", "hat", 0.5, bright_hz=4600, length_s=0.04, metal=0.4, base_hz=320, chick=0.7),
    _preset("tom, high and short", "tom_high", "tom", 0.6, tune_hz=178, bend=0.2, length_s=0.11, stick=0.6),
    _preset("tom, mid and warm", "tom_mid", "tom", 0.8, tune_hz=118, bend=0.15, length_s=0.24, stick=0.3),
    _preset("tom, low and wide", "tom_low", "tom", 1.0, tune_hz=74, bend=0.25, length_s=0.34, stick=0.4),
    _preset("tom, bent", "tom_mid", "tom", tune_hz=128, bend=1.0, length_s=0.22, stick=0.1),
    _preset("ride, dry ping", "ride", "cymbal", 0.2, base_hz=340, length_s=0.4, ping=0.9, bright_hz=4200, swell_s=0.006),
    _preset("ride, washy", "ride", "cymbal", 0.5, base_hz=290, length_s=0.95, ping=0.5, bright_hz=3200, swell_s=0.02),
    _preset("crash, short", "crash", "cymbal", 0.4, base_hz=470, length_s=0.4, ping=0, bright_hz=4000, swell_s=0.006),
    _preset("crash, long", "crash", "cymbal", 0.8, base_hz=350, length_s=1.15, ping=0.04, bright_hz=2600, swell_s=0.02),
    _preset("crash, rising", "crash", "cymbal", 0.5, base_hz=380, length_s=0.9, ping=0, bright_hz=3000, swell_s=0.11),
    _preset("shaker, soft", "shaker", "shaker", 0.5, tone_hz=5200, length_s=0.045, rise_s=0.018),
    _preset("shaker, crisp", "shaker", "shaker", tone_hz=8200, length_s=0.022, rise_s=0.005),
    _preset("tambourine, big", "tambourine", "tambourine", 0.5, tone_hz=6000, length_s=0.13, skin=0.45),
    _preset("tambourine, jingles", "tambourine", "tambourine", tone_hz=8400, length_s=0.07, skin=0.0),
    _preset("conga, open", "conga_low", "conga", 0.5, tune_hz=176, length_s=0.2, slap=0.1, bend=0.2),
    _preset("conga, high tone", "conga_high", "conga", 0.5, tune_hz=248, length_s=0.15, slap=0.2, bend=0.15),
    _preset("conga, slap", "conga_high", "conga", 0.4, tune_hz=290, length_s=0.09, slap=0.85, bend=0.1),
    _preset("wood, high", "wood", "wood", 0.3, tune_hz=1450, length_s=0.022, hollow=0.3),
    _preset("wood, hollow", "wood", "wood", 0.4, tune_hz=720, length_s=0.04, hollow=0.9),
    _preset("bell, hand", "bell", "bell", 0.3, tune_hz=560, length_s=0.16, clang=0.6),
    _preset("bell, ship's", "bell", "bell", 0.6, tune_hz=820, length_s=0.6, clang=0.3),
    _preset("sweep, up", "sweep", "sweep", from_hz=300, to_hz=9000, length_s=1.2, narrow=0.5),
    _preset("sweep, down", "sweep", "sweep", from_hz=9000, to_hz=250, length_s=0.9, narrow=0.4),
    _preset("sweep, breath", "sweep", "sweep", 0.6, from_hz=1200, to_hz=3200, length_s=2.2, narrow=0.1),
)  # fmt: skip
