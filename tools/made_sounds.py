"""Sounds for loops that are made to be learnt from: hits of the SoundFont's kits and of our models, drawn at random and
changed as other instruments, microphones and rooms would, and tones of the SoundFont's instruments."""

from __future__ import annotations

from typing import Any

import numpy as np
import soxr
from fit_roles import RANGES, drawn, recorded, varied
from soundfont_hits import NOTES, render, render_tones

from bench.aging import made_tone
from bench.made_loops import RATE, MadeLoop
from easy_pocket.core.listen.hit_classifier import MERGE_S

PROGRAMS = (0, 8, 16, 24, 25, 32, 40, 48)
TONES = (0, 4, 16, 24, 32, 33, 38, 48, 61, 81, 88)  # melodic programs of the SoundFont; others are for held-out figures
TONE_NOTES = list(range(28, 84, 5))
KIND_OF = {
    "kick": "kick", "snare": "snare", "clap": "snare", "rim": "snare", "hat_closed": "hat", "hat_open": "hat",
    "hat_pedal": "hat", "shaker": "hat", "tambourine": "hat", "tom_low": "tom", "tom_mid": "tom", "tom_high": "tom",
    "ride": "cymbal", "crash": "cymbal",
}  # fmt: skip
_hits: dict[str, list[np.ndarray]] = {}
_tones: dict[int, dict[int, np.ndarray]] = {}


def render_sounds(programs: tuple[int, ...], tones: tuple[int, ...] = TONES) -> None:
    """What `sound_of` and `any_tone` draw from, from now on and in processes that are started after it."""
    _hits.update(soundfont(programs))
    _tones.update({program: render_tones(program, TONE_NOTES) for program in tones})


def programs_without(left_out: str) -> tuple[int, ...]:
    """Of PROGRAMS; left_out: numbers with commas between them."""
    without = {int(one) for one in left_out.split(",") if one}
    return tuple(program for program in PROGRAMS if program not in without)


def soundfont(programs: tuple[int, ...]) -> dict[str, list[np.ndarray]]:
    found: dict[str, list[np.ndarray]] = {voice: [] for voice in KIND_OF}
    strikes = [(voice, note) for voice, note in NOTES.items() if voice in KIND_OF]
    for program in programs:
        for (voice, _), x in zip(strikes, render(program, [(note, 112) for _, note in strikes]), strict=True):
            level = np.abs(x)
            if level.max() > 1e-4:
                start = max(int(np.argmax(level > level.max() * 0.01)) - 30, 0)
                found[voice].append(x[start : start + 2 * RATE].astype(np.float64))
    return found


def sound_of(voice: str, dice: np.random.Generator) -> np.ndarray | None:
    """Of the SoundFont, of a model, or None for the kit's own; now and then with some breath on its attack."""
    sound = _plain_sound_of(voice, dice)
    if sound is None or dice.random() > 0.25:
        return sound
    t = np.arange(len(sound)) / RATE
    breath = dice.standard_normal(len(sound)) * np.exp(-t / dice.uniform(0.005, 0.04))
    return np.asarray(sound + np.abs(sound).max() * 10 ** (dice.uniform(-40, -24) / 20) * breath)


def _plain_sound_of(voice: str, dice: np.random.Generator) -> np.ndarray | None:
    chance = dice.random()
    if chance < 0.25:
        return None
    if chance < 0.55 or not _hits[voice]:
        made = drawn(voice, dice) if voice in RANGES else None
        return None if made is None else made.mean(axis=1, dtype=np.float64)
    return recorded_hit(voice, dice)


def recorded_hit(voice: str, dice: np.random.Generator) -> np.ndarray | None:
    """One of the SoundFont alone; None where it has none for this voice."""
    known = _hits.get(voice)
    if not known:
        return None
    x = known[int(dice.integers(len(known)))]
    return np.asarray(recorded(voice, varied(x, dice)[:, None], dice)[:, 0])


def any_tone(kind: str, note: int, length_s: float, dice: np.random.Generator) -> np.ndarray:
    """Of the SoundFont mostly, moved to the note it shall be; else made."""
    if dice.random() < 0.3 or not _tones:
        return made_tone(kind, note, length_s, dice)
    known = _tones[int(dice.choice(list(_tones)))]
    nearest = min(known, key=lambda one: abs(one - note))
    x = soxr.resample(known[nearest][: 3 * RATE], RATE * 2 ** ((note - nearest) / 12), RATE).astype(np.float64)
    x = x[max(int(np.argmax(np.abs(x) > 0.02 * np.abs(x).max())) - 40, 0) :]
    x = x[: max(round(length_s * RATE), 1000)].copy()
    end = min(len(x), int(0.03 * RATE))
    x[-end:] *= np.linspace(1, 0, end)
    return x


def struck_together(loop: MadeLoop) -> list[list[dict[str, Any]]]:
    """The hits of a loop in order of time; those that are struck together are one list."""
    together: list[list[dict[str, Any]]] = []
    for hit in sorted(loop.truth["hits"], key=lambda hit: float(hit["time_s"])):
        if together and hit["time_s"] - together[-1][0]["time_s"] <= MERGE_S:
            together[-1].append(hit)
        else:
            together.append([hit])
    return together
