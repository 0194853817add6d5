"""Fit what roles are guessed by: on models with settings drawn at random, on hits of the SoundFont's other kits and
notes, and on every second voice of the sampled kit.

The voices of the kits made of models and the other voices of the sampled kit are no examples. Kernel and ridge were
chosen by cross-validation among the examples. SoundFont kits share samples; a hit that is the same as one held out is
left out. Needs requirements/bench.txt.
"""

from __future__ import annotations

import argparse
import zlib
from collections.abc import Callable
from multiprocessing import Pool
from pathlib import Path

import numpy as np
import soxr
from fitted import save
from scipy import signal
from soundfont_hits import NOTES, RATE_HZ, render

from easy_pocket.core.audio import Audio
from easy_pocket.core.sound.controls import CONTROLS
from easy_pocket.core.sound.kit import plain_voice, voice_audio
from easy_pocket.core.sound.one_shot import one_shot
from easy_pocket.core.sound.role import FITTED_FILE, kernel, role_picture
from easy_pocket.core.sound.sound import Sound
from easy_pocket.samples import dry_dock, shipped_samples

DRAWN = 400  # of each role
KNOWN = 1500  # pictures kept to compare with
RIDGE = 0.1
VARIED = 10  # ways in which each hit of the SoundFont is used
OTHER_PROGRAMS = (8, 16, 24, 25, 32, 40, 48)
# Other notes of the kit ours was made from, which ours does not use.
OTHER_NOTES = [
    ("kick", 35), ("snare", 40), ("tom_low", 41), ("tom_low", 43), ("tom_mid", 48), ("crash", 57), ("crash", 52),
    ("crash", 55), ("ride", 59), ("ride", 53), ("shaker", 82), ("shaker", 69), ("conga_high", 62), ("conga_high", 60),
    ("conga_low", 61), ("wood", 77), ("wood", 75), ("bell", 67), ("bell", 68),
]  # fmt: skip
# Role: model, and the part of a control's range it uses where that is not all of it.
RANGES: dict[str, tuple[str, dict[str, tuple[float, float]]]] = {
    "kick": ("kick", {"tune_hz": (36, 75), "length_s": (0.05, 0.5), "sweep_hz": (40, 500)}),
    "snare": ("snare", {"tune_hz": (130, 340), "balance": (0.1, 0.97), "length_s": (0.03, 0.3)}),
    "rim": ("rim", {"tune_hz": (800, 2300), "length_s": (0.008, 0.04)}),
    "clap": ("clap", {"count": (2, 6), "spread_s": (0.005, 0.02), "length_s": (0.025, 0.2), "tone_hz": (800, 2000)}),
    "hat_closed": ("hat", {"length_s": (0.015, 0.09), "bright_hz": (2800, 10_000), "chick": (0, 0.1)}),
    "hat_open": ("hat", {"length_s": (0.13, 0.7), "bright_hz": (2600, 10_000), "chick": (0, 0.1)}),
    "hat_pedal": ("hat", {"length_s": (0.02, 0.08), "bright_hz": (2800, 7500), "chick": (0.3, 1)}),
    "tom_high": ("tom", {"tune_hz": (150, 240), "length_s": (0.08, 0.3)}),
    "tom_mid": ("tom", {"tune_hz": (108, 148), "length_s": (0.1, 0.35)}),
    "tom_low": ("tom", {"tune_hz": (62, 104), "length_s": (0.14, 0.5)}),
    "ride": ("cymbal", {"ping": (0.4, 1), "length_s": (0.35, 1.1)}),
    "crash": ("cymbal", {"ping": (0, 0.12), "length_s": (0.35, 1.2)}),
    "shaker": ("shaker", {"length_s": (0.012, 0.07), "tone_hz": (4500, 9000)}),
    "tambourine": ("tambourine", {"length_s": (0.04, 0.16), "tone_hz": (5000, 9000)}),
    "conga_high": ("conga", {"tune_hz": (215, 330), "length_s": (0.06, 0.25)}),
    "conga_low": ("conga", {"tune_hz": (140, 205), "slap": (0, 0.5), "length_s": (0.1, 0.3)}),
    "wood": ("wood", {"tune_hz": (500, 1500)}),
    "bell": ("bell", {"tune_hz": (400, 1100), "length_s": (0.08, 0.6)}),
    "sweep": ("sweep", {"length_s": (0.3, 3)}),
}


def drawn(role: str, dice: np.random.Generator) -> np.ndarray:
    model, ranges = RANGES[role]
    settings = {}
    for name, control in CONTROLS[model].items():
        low, high = ranges.get(name, (control.low, control.high))
        even: Callable[[float], float] = (lambda v: v) if control.curve == "even" else np.log  # type: ignore[assignment]
        value = dice.uniform(even(low), even(high))
        settings[name] = float(np.clip(value if control.curve == "even" else np.exp(value), control.low, control.high))
    sound = Sound(model, settings, seed=int(dice.integers(1, 10**6)), room=float(dice.choice((0, 0, 0.5, 0.9))))
    return voice_audio(plain_voice(role, sound), int(dice.integers(5, 8)))


def varied(x: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    """The same instrument of another size, damped or rung out a little differently."""
    tuned = soxr.resample(x.astype(np.float64), RATE_HZ * 2 ** (dice.uniform(-3, 3) / 12), RATE_HZ)
    return tuned * np.exp(-np.arange(len(tuned)) / RATE_HZ / dice.uniform(0.3, 4))


METAL = ("hat_closed", "hat_open", "hat_pedal", "ride", "crash", "shaker", "tambourine")


def recorded(role: str, x: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    """As another microphone in another place would have it: darker or thinner, and of metal also its lower body."""
    if role in METAL and dice.random() < 0.5:
        since_s = np.arange(len(x)) / RATE_HZ
        low_hz = dice.uniform(180, 500)
        body = signal.butter(1, (low_hz, low_hz * dice.uniform(2, 8)), "band", fs=RATE_HZ, output="sos")
        noise = signal.sosfilt(body, dice.standard_normal(len(x))) * np.exp(-since_s / dice.uniform(0.01, 0.12))
        noise *= np.sqrt((x**2).sum() / (noise**2).sum()) * 10 ** (dice.uniform(-24, -6) / 20)
        x = x + noise[:, None]
    if dice.random() < 0.4:
        return x
    high = signal.butter(1, dice.uniform(20, 140), "high", fs=RATE_HZ, output="sos")
    low = signal.butter(1, np.exp(dice.uniform(np.log(5000), np.log(20_000))), "low", fs=RATE_HZ, output="sos")
    return signal.sosfilt(low, signal.sosfilt(high, x, axis=0), axis=0)


def pictures_of(role: str) -> np.ndarray:
    dice = np.random.default_rng(zlib.crc32(role.encode()))
    return np.array([role_picture(recorded(role, drawn(role, dice), dice)) for _ in range(DRAWN)])


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("-o", dest="out", type=Path, default=FITTED_FILE)
    args = asked.parse_args()
    roles: list[str] = []
    pictures: list[np.ndarray] = []

    def add(role: str, x: np.ndarray) -> None:
        roles.append(role)
        pictures.append(role_picture(x))

    with Pool() as pool:
        for role, rows in zip(RANGES, pool.imap(pictures_of, RANGES), strict=True):
            roles += [role] * len(rows)
            pictures += list(rows)
    dice = np.random.default_rng(16)
    ours = dict(zip(NOTES, render(0, [(note, 112) for note in NOTES.values()]), strict=True))
    for program in (0, *OTHER_PROGRAMS):
        strikes = [(role, note) for role, note in NOTES.items() if program] + (OTHER_NOTES if not program else [])
        for (role, _), x in zip(strikes, render(program, [(note, 112) for _, note in strikes]), strict=True):
            alike = float((x * ours[role]).sum() / np.sqrt((x**2).sum() * (ours[role] ** 2).sum() + 1e-12))
            if alike > 0.7:
                continue
            for number in range(VARIED):
                add(role, one_shot(Audio((x if not number else varied(x, dice)).astype(np.float32), RATE_HZ, role)))
    for voice in dry_dock().voices[::2]:
        for number in range(VARIED):
            x = voice_audio(voice, 4 + number % 4, shipped_samples)[:, 0]
            add(voice.role, one_shot(Audio(x if not number else varied(x, dice).astype(np.float32), RATE_HZ, "hit")))
    keep(np.array(pictures), np.array(roles), args.out)


def keep(pictures: np.ndarray, roles: np.ndarray, out: Path) -> None:
    """Fit and write what `guess_role` reads. Every role counts alike, however many examples it has."""
    names = np.unique(roles)
    middle, width = pictures.mean(axis=0), pictures.std(axis=0) + 3.0
    rows = (pictures - middle) / width
    known = rows[np.random.default_rng(0).permutation(len(rows))[:KNOWN]].astype(np.float16).astype(np.float64)
    weight = 1 / np.sqrt(np.array([(roles == role).sum() for role in roles]))
    weight /= weight.mean()
    seen = kernel(rows, known) * weight[:, None]
    wanted = (roles[:, None] == names[None]) * weight[:, None]
    inner = kernel(known, known) + 1e-6 * np.eye(len(known))
    weights = np.linalg.solve(seen.T @ seen + RIDGE * inner, seen.T @ wanted)
    right = names[(kernel(rows, known) @ weights).argmax(axis=1)] == roles
    small = {
        "roles": names.astype("U20"),
        "middle": middle.astype(np.float32),
        "width": width.astype(np.float32),
        "known": known.astype(np.float16),
        "weights": weights.astype(np.float32),
    }
    scores = {"examples": len(roles), "right among the examples": round(float(right.mean()), 4)}
    save(out, small, tool="fit roles", arguments={}, data_seed="crc32 of each role; 16 for recordings", scores=scores)


if __name__ == "__main__":
    main()
