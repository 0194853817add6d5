"""Which voice a sound is meant for, guessed from the sound alone.

A forest of extremely randomized trees (Geurts, Ernst, Wehenkel 2006), grown by tools/grow_role_trees.py.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.core.sound.character import envelope, length_s, measure
from easy_pocket.core.sound.models import RATE_HZ
from easy_pocket.core.sound.spectrum import THIRD_HZ, third_energy

Floats = npt.NDArray[np.float64]

TREES_FILE = Path(__file__).with_name("role_trees.npz")
ATTACK_FRAMES = 2048  # 46 ms
WATCHED_S = (0.03, 0.07, 0.15, 0.3, 0.7)
BANDS_HZ = (0, 90, 180, 400, 900, 2000, 4500, 9000, 25_000)


@dataclass(frozen=True)
class RoleGuess:
    role: str
    certainty: float  # 0-1, the share of the votes


def role_features(x: npt.NDArray[np.floating[Any]]) -> Floats:
    """What tells voices apart, as 29 numbers. x: one hit, 44.1 kHz, shape (frames, channels)."""
    character = measure(x)
    mono = x.mean(axis=1).astype(np.float64)
    levels = envelope(mono)
    attack, whole = third_energy(x, ATTACK_FRAMES), third_energy(x)
    later = third_energy(x[ATTACK_FRAMES:]) if len(x) > ATTACK_FRAMES + 64 else attack
    bands = [
        10 * np.log10(attack[(low <= THIRD_HZ) & (high > THIRD_HZ)].sum() / attack.sum() + 1e-5)
        for low, high in pairwise(BANDS_HZ)
    ]
    middle = [float((e / max(e.sum(), 1e-12) * np.log2(THIRD_HZ)).sum()) for e in (attack, later, whole)]
    strongest_hz = float(THIRD_HZ[int(np.argmax(whole))])
    when = [10 * np.log10(_mean_square(mono, at_s) / _mean_square(mono, 0.0) + 1e-5) / 10 for at_s in WATCHED_S]
    fine = np.abs(np.fft.rfft(mono[:ATTACK_FRAMES] if len(mono) >= ATTACK_FRAMES else np.pad(mono, (0, ATTACK_FRAMES))))
    metal = fine[60:600] + 1e-9  # 1.3 to 13 kHz
    flatness = np.log2(np.exp(np.log(metal).mean()) / metal.mean())
    return np.array(
        [
            np.log2(character.length_s + 0.005),
            np.log2(length_s(mono, 12.0) + 0.003),
            np.log2(length_s(mono, 24.0) + 0.004),
            *(band / 8 for band in bands),
            middle[0],
            middle[1],
            middle[2],
            np.log2(strongest_hz) * 0.7,
            3.0 * character.noisy,
            np.log2(float(np.argmax(levels)) + 2),
            _bumps(levels),
            np.log2(character.pitch_hz or strongest_hz) * 0.7,
            *when,
            flatness,
            (np.log10(attack[15:24] + 1e-12).max() - np.log10(attack[15:24] + 1e-12).mean()) * 2,  # 800 Hz to 6.3 kHz
            np.log10((mono[:441] ** 2).sum() / ((mono[1323:1764] ** 2).sum() + 1e-9) + 1e-6),
            np.log2(levels.max() / np.sqrt(_mean_square(mono, 0.0))),
        ]
    )


def _mean_square(mono: Floats, at_s: float) -> float:
    """Over 30 ms from a time on; nothing after the end."""
    piece = mono[int(at_s * RATE_HZ) :][: int(0.03 * RATE_HZ)]
    return float((piece**2).sum()) / (0.03 * RATE_HZ) + 1e-12


def _bumps(levels: Floats) -> float:
    """How often the first 80 ms rise again by 4 dB or more: hands of a clap, seeds of a shaker."""
    head = 20 * np.log10(levels[:80] / levels.max() + 1e-3)
    count, lowest = 0, head[0]
    for value in head[1:].tolist():
        if value > lowest + 4 and value > -25:
            count, lowest = count + 1, value
        lowest = min(lowest, value)
    return float(min(count, 6))


@lru_cache(maxsize=1)
def _trees() -> dict[str, npt.NDArray[Any]]:
    with np.load(TREES_FILE, allow_pickle=False) as stored:
        return {name: stored[name] for name in stored.files}


def guess_role(x: npt.NDArray[np.floating[Any]]) -> RoleGuess:
    """x: one hit as `one_shot` or `voice_audio` give it."""
    trees, features = _trees(), role_features(x).astype(np.float32)
    at = trees["roots"].copy()
    while (open_ := trees["feature"][at] >= 0).any():  # every tree at once, a step down at a time
        asks = trees["feature"][at]
        left = features[asks] <= trees["limit"][at]
        at = np.where(open_, np.where(left, trees["left"][at], trees["right"][at]), at)
    votes = trees["votes"][at].astype(np.float64).sum(axis=0)
    best = int(np.argmax(votes))
    return RoleGuess(str(trees["roles"][best]), float(votes[best] / votes.sum()))


def _strongest_hz(x: npt.NDArray[np.floating[Any]]) -> float:
    spectrum = np.abs(np.fft.rfft(x.mean(axis=1), 1 << 16))
    return float(np.argmax(spectrum)) * RATE_HZ / (1 << 16)


# Sounds that differ by how high they are, from low to high: which is which shows only beside the others.
PITCHED_FAMILIES = (("tom_low", "tom_mid", "tom_high"), ("conga_low", "conga_high"))


def guess_roles(hits: list[npt.NDArray[np.floating[Any]]]) -> list[RoleGuess]:
    """Guesses for sounds brought in together: two or three toms or congas among them are told apart by pitch."""
    guesses = [guess_role(x) for x in hits]
    for family in PITCHED_FAMILIES:
        own = [index for index, guess in enumerate(guesses) if guess.role in family]
        if not 1 < len(own) <= len(family):
            continue
        own.sort(key=lambda index: _strongest_hz(hits[index]))
        places = range(len(family)) if len(own) == len(family) else (0, len(family) - 1)
        for index, place in zip(own, places, strict=True):
            guesses[index] = RoleGuess(family[place], guesses[index].certainty)
    return guesses


assert RATE_HZ == 44_100, "the features are of this rate"
