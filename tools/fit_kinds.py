"""Fit what kinds of hits in loops are told by, and drums from what is none: on loops made for it (bench/made_loops.py)
from our kits, from models with settings drawn at random, from hits of the SoundFont's kits, and from sounds of mouths
and tables. Needs Debian's fluidsynth and fluid-soundfont-gm.

    tools/fit kinds [--without 0,40] [-o FILE]    leave these SoundFont kits out, to see how well unknown ones are told
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import dataclass, replace
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np
from fitted import save
from made_sounds import KIND_OF, any_tone, programs_without, render_sounds, sound_of, struck_together
from networks import averaged, f_of, stored
from sklearn.neural_network import MLPClassifier
from strange_sounds import burst, mouth, table

from bench.made_loops import made_loops
from easy_pocket.core.listen.drum_classifier import (
    FITTED_FILE,
    KINDS,
    NETWORKS,
    TOLD,
    in_context,
    onset_pictures,
)
from easy_pocket.core.listen.network import Network

A_BATCH = 40  # loops from one seed
FIRST_SEED = 70_000
TEST = 0.12  # share of the batches the scores are told of
AGES = (0.0, 1.0, 0.5, 1.0)  # share of aged loops, by batch
STRANGE: tuple[Callable[[str, np.random.Generator], np.ndarray], ...] = (mouth, table, burst)
STRANGE_EACH = 5  # every so many-th batch holds none but these
OTHER_VOICE = 0.12  # share of voices that play something else: a tom in place of a kick
A_FEW, FEW = 0.3, 12  # share of loops of which a few hits alone are learnt too, and how many at most
LATE_S = 0.001  # standard deviation of where hits are heard
HIDDEN = {"kinds": 96, "drums": 24}


@dataclass(frozen=True)
class Examples:
    """Of one recording: its hits' pictures, what each is of TOLD, and whether they are drums.

    named: what they are is known; of sounds of nothing in particular it is not.
    """

    pictures: np.ndarray
    told: np.ndarray
    drums: bool
    named: bool
    age: float


def examples(job: tuple[int, bool]) -> list[Examples]:
    """Of one batch of loops; the job also says whether in two thirds of the batches open hats are closed."""
    batch, closes = job
    seed = FIRST_SEED + batch
    dice = np.random.default_rng([seed, 5])
    strange = STRANGE[batch // STRANGE_EACH % len(STRANGE)] if batch % STRANGE_EACH == STRANGE_EACH - 1 else None
    own = batch % 8 == 0
    played: dict[str, str] = {}  # by the voice that is written, of the loop that is made just now

    def sound(voice: str, loop_dice: np.random.Generator) -> np.ndarray | None:
        played[voice] = voice
        if strange:
            return strange(voice, loop_dice)
        if loop_dice.random() < OTHER_VOICE:
            other = str(loop_dice.choice(list(KIND_OF)))
            found = sound_of(other, loop_dice)
            if found is not None:
                played[voice] = other
                return found
        return None if own else sound_of(voice, loop_dice)

    age = AGES[batch % len(AGES)]
    found = []
    for loop in made_loops(
        A_BATCH,
        seed,
        sound_of=sound,
        busier=batch % 2 == 0,
        age=age,
        tone_of=any_tone,
        closes=closes and batch % 3 != 0,
    ):
        together = struck_together(loop)
        together = [group for group in together if group[0]["time_s"] < loop.truth["duration_s"] - 0.02]
        told = np.zeros((len(together), len(TOLD)), dtype=bool)
        for row, group in enumerate(together):
            for hit in group:
                voice = played.get(hit["voice"], hit["voice"])
                told[row, TOLD.index(KIND_OF[voice])] = True
                told[row, TOLD.index("open hat")] |= voice == "hat_open"
                told[row, TOLD.index("crash")] |= voice == "crash"
        played.clear()
        if not together:
            continue
        times = np.array([group[0]["time_s"] for group in together])
        heard = np.maximum(times + dice.normal(0, LATE_S, len(times)), 0)
        first, count = int(dice.integers(len(times))), int(dice.integers(1, FEW + 1))
        for part in (slice(None), slice(first, first + count))[: 1 + (dice.random() < A_FEW)]:
            pictures = onset_pictures(loop.audio.samples[:, 0], heard[part]).astype(np.float32)
            found.append(Examples(pictures, told[part], strange is None, strange is not burst, age))
    return found


def features(loops: list[Examples]) -> np.ndarray:
    return np.concatenate([in_context(one.pictures) for one in loops])


def fit_kinds(loops: list[Examples]) -> Network:
    named = [one for one in loops if one.named]
    told = np.concatenate([one.told for one in named]).astype(int)
    return averaged("kinds", MLPClassifier, features(named), told, HIDDEN["kinds"])


def fit_drums(loops: list[Examples]) -> Network:
    drums = np.concatenate([np.full(len(one.pictures), one.drums) for one in loops])
    return averaged("drums", MLPClassifier, features(loops), drums, HIDDEN["drums"])


def best_odds(network: Network, loops: list[Examples]) -> np.ndarray:
    """From which log odds on each of TOLD is best said to be there: where F is highest. Rare ones need less."""
    named = [one for one in loops if one.named]
    odds, true = network.of(features(named)), np.concatenate([one.told for one in named])
    tried = np.linspace(-4, 1, 51)
    scores = np.array([[f_of(odds[:, kind] > one, true[:, kind]) for one in tried] for kind in range(len(TOLD))])
    return np.asarray(tried[scores.argmax(axis=1)])


def from_odds(network: Network, needed: np.ndarray) -> Network:
    """The same, with these odds at an even chance."""
    return replace(network, bias=network.bias - needed)


def scores_of(kinds: Network, drums: Network, loops: list[Examples]) -> dict[str, float]:
    """F of what is told of loops that were not learnt from."""
    scores = {}
    for name, some in (
        ("clean", [one for one in loops if one.drums and not one.age]),
        ("aged", [one for one in loops if one.drums and one.age]),
    ):
        if not some:
            continue
        told, true = kinds.of(features(some)) > 0, np.concatenate([one.told for one in some])
        for number, kind in enumerate(TOLD):
            scores[f"F of {kind}, {name}"] = f_of(told[:, number], true[:, number])
        scores[f"F of kinds, {name}"] = f_of(told[:, : len(KINDS)], true[:, : len(KINDS)])
    right = [float(np.median(drums.of(in_context(one.pictures)))) > 0 for one in loops]
    scores["drums told from what is none"] = float(
        np.mean([r == one.drums for r, one in zip(right, loops, strict=True)])
    )
    return {name: round(score, 3) for name, score in scores.items()}


def fitted(found: list[list[Examples]], drums: bool) -> tuple[Network, Network | None, dict[str, float], int]:
    """Kinds, drums if asked for, their scores on the last batches, and how many recordings there are. What is kept is
    fitted to all batches, with the odds that were best on those held out."""
    learnt = round(len(found) * (1 - TEST))
    loops, test = ([one for batch in part for one in batch] for part in (found[:learnt], found[learnt:]))
    first = fit_kinds(loops)
    needed = best_odds(first, test)
    scores = scores_of(from_odds(first, needed), fit_drums(loops), test)
    everything = loops + test
    kinds = from_odds(fit_kinds(everything), needed)
    return kinds, fit_drums(everything) if drums else None, scores, len(everything)


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("--without", default="")
    asked.add_argument("--batches", type=int, default=160, help="of 40 loops each, for each of the two networks")
    asked.add_argument("-o", dest="out", type=Path, default=FITTED_FILE)
    args = asked.parse_args()
    render_sounds(programs_without(args.without))
    kept: dict[str, np.ndarray] = {}
    scores: dict[str, Any] = {}
    with Pool() as pool:
        for name in NETWORKS:
            closes = name == "closing"
            found = pool.map(examples, [(batch, closes) for batch in range(args.batches)], chunksize=1)
            kinds, drums, told, recordings = fitted(found, closes)
            kept |= stored(name, kinds) | (stored("drums", drums) if drums else {})
            scores[name] = {"recordings": recordings, **told}
    arguments = {"without": args.without, "batches": args.batches}
    save(args.out, kept, tool="fit kinds", arguments=arguments, data_seed=FIRST_SEED, scores=scores)


if __name__ == "__main__":
    main()
