"""The kits that come with Easy Pocket: Boathouse (acoustic) and Signal Box (electronic)."""

from __future__ import annotations

from easy_pocket.core.sound.kit import Kit, KitVoice, Sound


def _boathouse() -> Kit:
    def voice(role: str, model: str, pan: float, room: float, level_db: float = 0.0, **settings: float) -> KitVoice:
        return KitVoice(role, Sound(model, settings, seed=sum(map(ord, role)), room=room), level_db, pan)

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
                length_s=0.13,
                click=0.75,
                drive=0.12,
                skin=0.5,
            ),
            voice(
                "snare", "snare", 0, 0.9, tune_hz=187, body=0.85, wires=0.8, length_s=0.085, tone_hz=10500, snap=0.55
            ),
            voice("rim", "rim", 0.08, 0.9, tune_hz=1180, length_s=0.022, click=0.6),
            voice("clap", "clap", -0.1, 1.0, tone_hz=1250, spread_s=0.011, count=5, length_s=0.06),
            voice("hat_closed", "hat", 0.26, 0.5, base_hz=327, bright_hz=5600, length_s=0.042, metal=0.52),
            voice("hat_open", "hat", 0.26, 0.5, base_hz=327, bright_hz=5200, length_s=0.34, metal=0.58),
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
        return KitVoice(role, Sound(model, settings, seed=4099 + sum(map(ord, role))), level_db, pan)

    return Kit(
        "signal_box",
        "Signal Box",
        (
            voice(
                "kick",
                "kick",
                0,
                tune_hz=46,
                sweep_hz=230,
                sweep_s=0.03,
                length_s=0.24,
                click=0.35,
                drive=0.4,
                skin=0.0,
            ),
            voice("snare", "snare", 0, tune_hz=208, body=0.6, wires=1.0, length_s=0.07, tone_hz=14000, snap=0.8),
            voice("rim", "rim", 0.1, tune_hz=1720, length_s=0.011, click=0.3),
            voice("clap", "clap", 0.06, tone_hz=1080, spread_s=0.0095, count=4, length_s=0.085),
            voice("hat_closed", "hat", 0.14, base_hz=436, bright_hz=7600, length_s=0.026, metal=0.85),
            voice("hat_open", "hat", 0.14, base_hz=436, bright_hz=7200, length_s=0.22, metal=0.85),
            voice("hat_pedal", "hat", 0.14, base_hz=436, bright_hz=6500, length_s=0.045, metal=0.7),
            voice("tom_high", "tom", 0.3, tune_hz=196, bend=0.7, length_s=0.14, stick=0.12),
            voice("tom_mid", "tom", 0, tune_hz=136, bend=0.7, length_s=0.18, stick=0.12),
            voice("tom_low", "tom", -0.3, tune_hz=92, bend=0.7, length_s=0.24, stick=0.12),
            voice("ride", "cymbal", -0.24, base_hz=520, length_s=0.5, ping=0.5, bright_hz=5200, swell_s=0.004),
            voice("crash", "cymbal", 0.3, base_hz=560, length_s=0.7, ping=0.0, bright_hz=4600, swell_s=0.005),
            voice("shaker", "shaker", -0.34, tone_hz=7600, length_s=0.02, rise_s=0.006),
            voice("tambourine", "tambourine", 0.4, tone_hz=7800, length_s=0.06, skin=0.0),
        ),
    )


HOUSE_KITS = {kit.key: kit for kit in (_boathouse(), _signal_box())}
