"""Which voice a sound is meant for, guessed from the sound alone.

A picture of the first 0.8 s - level by band and time - is compared with 1,500 known ones: least squares on Gaussian
kernels, one output per role (Suykens & Vandewalle 1999), fitted by `tools/fit roles`.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.core.sound.tones import RATE_HZ

Floats = npt.NDArray[np.float64]

FITTED_FILE = Path(__file__).with_name("roles.npz")
WATCHED_S = (0, 0.004, 0.012, 0.03, 0.06, 0.12, 0.22, 0.4, 0.8)
BANDS_HZ = (
    20, 55, 75, 95, 120, 150, 190, 240, 320, 450, 650, 900, 1250, 1750, 2500, 3600, 5000, 7000, 10_000, 14_000, 22_050,
)  # fmt: skip
FLOOR_DB = -60.0
KERNEL_WIDTH = 0.6


@dataclass(frozen=True)
class RoleGuess:
    """What a sound is probably for."""

    role: str
    certainty: float  # 0-1, its share of what speaks for any role


def role_picture(x: npt.NDArray[np.floating[Any]]) -> Floats:
    """Level in dB below the loudest cell, by 8 spans of time and 20 bands, as one row of 160.

    x: one hit, 44.1 kHz, shape (frames, channels).
    """
    frames = int(WATCHED_S[-1] * RATE_HZ)
    mono = x[:frames].mean(axis=1).astype(np.float64)
    mono = np.pad(mono, (0, frames - len(mono)))
    cells = []
    for begin, end in pairwise(int(at_s * RATE_HZ) for at_s in WATCHED_S):
        piece = mono[begin:end]
        size = max(4096, 1 << (len(piece) - 1).bit_length())
        power = np.abs(np.fft.rfft(piece * np.hanning(len(piece) + 2)[1:-1], size)) ** 2 / len(piece)
        below = np.concatenate([[0.0], np.cumsum(power)[:-1]])
        cells.append(np.diff(np.interp(BANDS_HZ, np.fft.rfftfreq(size, 1 / RATE_HZ), below)))
    energy = np.array(cells)
    decibels = 10 * np.log10(energy / max(float(energy.max()), 1e-30) + 1e-7)
    return np.asarray(np.maximum(decibels, FLOOR_DB).ravel())


def kernel(pictures: Floats, known: Floats) -> Floats:
    """How alike pictures are, 0-1: shape (pictures, known)."""
    distance = (pictures**2).sum(axis=1)[:, None] + (known**2).sum(axis=1)[None] - 2 * pictures @ known.T
    return np.asarray(np.exp(-KERNEL_WIDTH * distance / pictures.shape[1]))


@lru_cache(maxsize=1)
def _fitted() -> dict[str, npt.NDArray[Any]]:
    with np.load(FITTED_FILE, allow_pickle=False) as stored:
        weights = {name: stored[name] for name in stored.files if name != "made"}  # "made" says where they come from
    return {name: part if name == "roles" else part.astype(np.float64) for name, part in weights.items()}


def _votes(x: npt.NDArray[np.floating[Any]]) -> Floats:
    """What speaks for each role; together 1."""
    fitted = _fitted()
    picture = (role_picture(x) - fitted["middle"]) / fitted["width"]
    votes = np.maximum((kernel(picture[None], fitted["known"]) @ fitted["weights"])[0], 0.0)
    return np.asarray(votes / max(float(votes.sum()), 1e-9))


def _guess(votes: Floats, best: int) -> RoleGuess:
    return RoleGuess(str(_fitted()["roles"][best]), float(votes[best]))


def guess_role(x: npt.NDArray[np.floating[Any]]) -> RoleGuess:
    """x: one hit as `one_shot` or `voice_audio` give it."""
    votes = _votes(x)
    return _guess(votes, int(np.argmax(votes)))


def _strongest_hz(x: npt.NDArray[np.floating[Any]]) -> float:
    spectrum = np.abs(np.fft.rfft(x.mean(axis=1), 1 << 16))
    return float(np.argmax(spectrum)) * RATE_HZ / (1 << 16)


# Sounds that differ by how high they are, from low to high: which is which shows only beside the others.
PITCHED_FAMILIES = (("tom_low", "tom_mid", "tom_high"), ("conga_low", "conga_high"))


# Of sounds brought in together two seldom are the same voice: the less certain one takes another role, if that has at
# least this share of the votes of its first. Twenty kicks stay kicks.
NEARLY = 0.4


def guess_roles(hits: list[npt.NDArray[np.floating[Any]]]) -> list[RoleGuess]:
    """Guesses for sounds brought in together.

    Doubtful ones give way to those that are surer of the same role, and two or three toms or congas among them are told
    apart by pitch.
    """
    votes = [_votes(x) for x in hits]
    chosen: dict[int, int] = {}
    for index in sorted(range(len(hits)), key=lambda index: -votes[index].max()):
        ranked = np.argsort(-votes[index], kind="stable").tolist()
        close = [role for role in ranked if votes[index][role] >= NEARLY * votes[index][ranked[0]]]
        chosen[index] = next((role for role in close if role not in chosen.values()), ranked[0])
    guesses = [_guess(votes[index], chosen[index]) for index in range(len(hits))]
    for family in PITCHED_FAMILIES:
        own = [index for index, guess in enumerate(guesses) if guess.role in family]
        # More than there are of them: one that is none may be among them, and shall not put the others out of order.
        own = sorted(own, key=lambda index: -guesses[index].certainty)[: len(family)]
        if len(own) < 2:
            continue
        own.sort(key=lambda index: _strongest_hz(hits[index]))
        places = range(len(family)) if len(own) == len(family) else (0, len(family) - 1)
        for index, place in zip(own, places, strict=True):
            guesses[index] = RoleGuess(family[place], guesses[index].certainty)
    return guesses


assert RATE_HZ == 44_100, "the pictures are of this rate"
