"""The kits made of models: Boathouse (acoustic), Signal Box (electronic) and Net Loft (hand percussion)."""

from __future__ import annotations

from dataclasses import replace

from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.core.sound.kit import Kit, KitVoice, plain_voice
from easy_pocket.core.sound.sound import Sound

STROKES = 3  # of each sound, in turn


def _boathouse() -> Kit:
    def voice(role: str, model: str, pan: float, room: float, level_db: float = 0.0, **settings: float) -> KitVoice:
        sound = Sound(model, settings, seed=sum(map(ord, role)), room=room)
        return replace(
            plain_voice(role, sound, level_db, pan, f"Boathouse {ROLES[role].name.lower()}"), strokes=STROKES
        )

    return Kit(
        "boathouse",
        "Boathouse",
        (
            voice(
                "kick",
                "kick",
                0,
                0.5,
                tune_hz=54,
                sweep_hz=95,
                sweep_s=0.022,
                length_s=0.085,
                click=0.75,
                drive=0.12,
                skin=0.5,
            ),
            voice("snare", "snare", 0, 0.25, tune_hz=187, balance=0.485, length_s=0.026, tone_hz=10500, snap=0.53),
            voice("rim", "rim", 0.08, 0.9, tune_hz=1180, length_s=0.022, click=0.6),
            voice("clap", "clap", -0.1, 1.0, tone_hz=1250, spread_s=0.011, count=5, length_s=0.06),
            voice("hat_closed", "hat", 0.26, 0.05, base_hz=327, bright_hz=4600, length_s=0.014, metal=0.52, chick=0),
            voice("hat_open", "hat", 0.26, 0.4, base_hz=327, bright_hz=5000, length_s=0.19, metal=0.58, chick=0),
            voice("hat_pedal", "hat", 0.26, 0.5, base_hz=327, bright_hz=4800, length_s=0.034, metal=0.45, chick=0.5),
            voice("tom_high", "tom", 0.22, 0.9, tune_hz=168, bend=0.22, length_s=0.16, stick=0.6),
            voice("tom_mid", "tom", -0.06, 0.9, tune_hz=122, bend=0.22, length_s=0.2, stick=0.55),
            voice("tom_low", "tom", -0.34, 0.9, tune_hz=84, bend=0.22, length_s=0.26, stick=0.5),
            voice("ride", "cymbal", -0.3, 0.4, base_hz=310, length_s=0.75, ping=0.72, bright_hz=3600, swell_s=0.01),
            voice("crash", "cymbal", 0.36, 0.6, base_hz=395, length_s=0.85, ping=0.06, bright_hz=3000, swell_s=0.012),
            voice("shaker", "shaker", -0.4, 0.4, tone_hz=6200, length_s=0.032, rise_s=0.011),
            voice("tambourine", "tambourine", 0.44, 0.5, tone_hz=6800, length_s=0.09, skin=0.25),
        ),
    )


def _signal_box() -> Kit:
    def voice(role: str, model: str, pan: float, level_db: float = 0.0, **settings: float) -> KitVoice:
        sound = Sound(model, settings, seed=4099 + sum(map(ord, role)))
        return replace(
            plain_voice(role, sound, level_db, pan, f"Signal Box {ROLES[role].name.lower()}"), strokes=STROKES
        )

    return Kit(
        "signal_box",
        "Signal Box",
        (
            voice(
                "kick",
                "kick",
                0,
                2.0,
                tune_hz=46,
                sweep_hz=230,
                sweep_s=0.03,
                length_s=0.085,
                click=0.85,
                drive=0.4,
                skin=0.0,
            ),
            voice("snare", "snare", 0, tune_hz=208, balance=0.625, length_s=0.034, tone_hz=14000, snap=0.8),
            voice("rim", "rim", 0.1, -4, tune_hz=1720, length_s=0.011, click=0.3),
            voice("clap", "clap", 0.06, tone_hz=900, spread_s=0.0095, count=4, length_s=0.085),
            voice("hat_closed", "hat", 0.14, -3, base_hz=436, bright_hz=6200, length_s=0.022, metal=0.82, chick=0),
            voice("hat_open", "hat", 0.14, -4.5, base_hz=436, bright_hz=6800, length_s=0.2, metal=0.85, chick=0),
            voice("hat_pedal", "hat", 0.14, base_hz=436, bright_hz=6500, length_s=0.045, metal=0.7, chick=0.2),
            voice("tom_high", "tom", 0.3, tune_hz=196, bend=0.5, length_s=0.14, stick=0.12),
            voice("tom_mid", "tom", 0, tune_hz=136, bend=0.5, length_s=0.18, stick=0.12),
            voice("tom_low", "tom", -0.3, tune_hz=92, bend=0.5, length_s=0.24, stick=0.12),
            voice("ride", "cymbal", -0.24, base_hz=520, length_s=0.5, ping=0.5, bright_hz=5200, swell_s=0.004),
            voice("crash", "cymbal", 0.3, base_hz=560, length_s=0.7, ping=0.0, bright_hz=4600, swell_s=0.005),
            voice("shaker", "shaker", -0.34, -2, tone_hz=7600, length_s=0.02, rise_s=0.006),
            voice("tambourine", "tambourine", 0.4, tone_hz=7800, length_s=0.06, skin=0.0),
        ),
    )


def _net_loft() -> Kit:
    def voice(role: str, model: str, pan: float, room: float, level_db: float = 0.0, **settings: float) -> KitVoice:
        sound = Sound(model, settings, seed=211 + sum(map(ord, role)), room=room)
        plain = plain_voice(role, sound, level_db, pan, f"Net Loft {ROLES[role].name.lower()}")
        return replace(plain, strokes=STROKES)

    return Kit(
        "net_loft",
        "Net Loft",
        (
            voice(
                "kick",
                "kick",
                0,
                0.9,
                tune_hz=56,
                length_s=0.08,
                sweep_hz=80,
                sweep_s=0.022,
                click=0.55,
                skin=0.5,
                drive=0,
            ),
            voice("conga_low", "conga", -0.22, 0.7, tune_hz=168, length_s=0.19, slap=0.1, bend=0.2),
            voice("conga_high", "conga", 0.18, 0.7, tune_hz=236, length_s=0.15, slap=0.18, bend=0.15),
            voice("snare", "snare", 0.1, 0.15, tune_hz=226, balance=0.6, length_s=0.026, tone_hz=9000, snap=0.35),
            voice("rim", "wood", 0.3, 0.4, tune_hz=1650, length_s=0.02, hollow=0.2),
            voice("clap", "clap", -0.08, 0.9, tone_hz=1350, spread_s=0.007, count=3, length_s=0.04),
            voice("wood", "wood", 0.4, 0.4, tune_hz=870, length_s=0.032, hollow=0.6),
            voice("bell", "bell", -0.4, 0.4, tune_hz=587, length_s=0.2, clang=0.45),
            voice("shaker", "shaker", -0.46, 0.5, tone_hz=6000, length_s=0.036, rise_s=0.013),
            voice("tambourine", "tambourine", 0.46, 0.5, tone_hz=6600, length_s=0.1, skin=0.3),
        ),
    )


HOUSE_KITS = {kit.key: kit for kit in (_boathouse(), _signal_box(), _net_loft())}
