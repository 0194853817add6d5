"""Fit what kinds of hits in loops are told by: on loops made for it (bench/made_loops.py) from our kits, from models
with settings drawn at random, and from hits of the SoundFont's kits. Needs Debian's fluidsynth and fluid-soundfont-gm.

    tools/fit kinds [--without 0,40] [-o FILE]    leave these SoundFont kits out, to see how well unknown ones are told
"""

from __future__ import annotations

import argparse
from multiprocessing import Pool
from pathlib import Path

import numpy as np
from fit_roles import RANGES, drawn, recorded, varied
from fitted import save
from soundfont_hits import NOTES, render

from bench.made_loops import RATE, made_loops
from easy_pocket.core.listen.drum_classifier import FITTED_FILE, KINDS, kernel, onset_pictures

PROGRAMS = (0, 8, 16, 24, 25, 32, 40, 48)
LOOPS, BATCHES = 130, 8
FIRST_SEED = 500
KNOWN = 1500
RIDGE = 0.3
MERGE_S = 0.030
KIND_OF = {
    "kick": "kick", "snare": "snare", "clap": "snare", "rim": "snare", "hat_closed": "hat", "hat_open": "hat",
    "hat_pedal": "hat", "shaker": "hat", "tambourine": "hat", "tom_low": "tom", "tom_mid": "tom", "tom_high": "tom",
    "ride": "cymbal", "crash": "cymbal",
}  # fmt: skip
_hits: dict[str, list[np.ndarray]] = {}


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
    x = _hits[voice][int(dice.integers(len(_hits[voice])))]
    return np.asarray(recorded(voice, varied(x, dice)[:, None], dice)[:, 0])


def examples(job: tuple[int, float]) -> tuple[np.ndarray, np.ndarray]:
    seed, age = job
    pictures, kinds = [], []
    for loop in made_loops(LOOPS, seed, sound_of=sound_of, age=age):
        hits = sorted(loop.truth["hits"], key=lambda hit: hit["time_s"])
        together: list[list[dict]] = []
        for hit in hits:
            if together and hit["time_s"] - together[-1][0]["time_s"] < MERGE_S:
                together[-1].append(hit)
            else:
                together.append([hit])
        times = np.array([group[0]["time_s"] for group in together])
        inside = times < loop.truth["duration_s"] - 0.02
        told = np.zeros((len(together), len(KINDS)))
        for row, group in enumerate(together):
            for hit in group:
                told[row, KINDS.index(KIND_OF[hit["voice"]])] = 1
        pictures.append(onset_pictures(loop.audio.samples[:, 0], times)[inside])
        kinds.append(told[inside])
    return np.concatenate(pictures), np.concatenate(kinds)


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("--without", default="")
    asked.add_argument("--batches", type=int, default=BATCHES, help="of 130 loops each")
    asked.add_argument("--aged", type=float, default=0.0, help="share of the loops that bench/aging.py makes old")
    asked.add_argument("-o", dest="out", type=Path, default=FITTED_FILE)
    args = asked.parse_args()
    without = {int(one) for one in args.without.split(",") if one}
    _hits.update(soundfont(tuple(program for program in PROGRAMS if program not in without)))
    with Pool() as pool:
        found = pool.map(examples, [(FIRST_SEED + number, args.aged) for number in range(args.batches)])
    pictures, kinds = (np.concatenate([one[part] for one in found]) for part in (0, 1))
    test = np.zeros(len(pictures), dtype=bool)
    test[-len(found[-1][0]) :] = True
    dice = np.random.default_rng(7)
    middle, width = pictures.mean(axis=0), pictures.std(axis=0) + 1e-6
    scaled = (pictures - middle) / width

    def fit(which: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        rare = 1 / np.maximum(kinds[which].mean(axis=0), 0.05)  # rarer kinds have as many to compare with
        chance = (kinds[which] * rare).max(axis=1)
        known = scaled[dice.choice(np.flatnonzero(which), KNOWN, replace=False, p=chance / chance.sum())]
        alike, bias = kernel(scaled[which], known), kinds[which].mean(axis=0)
        weights = np.linalg.solve(alike.T @ alike + RIDGE * np.eye(KNOWN), alike.T @ (kinds[which] - bias))
        return known, weights, bias

    known, weights, bias = fit(~test)
    told = kernel(scaled[test], known) @ weights + bias > 0.5
    right = 2 * (told & (kinds[test] > 0)).sum(axis=0) / np.maximum(told.sum(axis=0) + kinds[test].sum(axis=0), 1)
    scores = {f"F of {kind}, last batch held out": float(one) for kind, one in zip(KINDS, right.round(3), strict=True)}
    known, weights, bias = fit(np.ones(len(pictures), dtype=bool))
    half = {"known": known, "weights": weights, "middle": middle, "width": width, "bias": bias}
    small = {name: value.astype(np.float16 if name == "known" else np.float32) for name, value in half.items()}
    save(
        args.out,
        small,
        tool="fit kinds",
        arguments={"without": args.without, "batches": args.batches, "aged": args.aged},
        data_seed=FIRST_SEED,
        scores={"hits": len(pictures), **scores},
    )


if __name__ == "__main__":
    main()
