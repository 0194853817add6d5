"""Fit the networks that classify hits in loops (core/listen/hit_classifier.npz): on loops made for it
(bench/made_loops.py) from our kits, from models with settings drawn at random, and from hits of the SoundFont's kits.
Needs the extra "fit", and Debian's fluidsynth and fluid-soundfont-gm: `tools/fit` sees to both.

    tools/fit hits [--loops 1800] [--without 0,40] [--own no] [-o FILE]

--without leaves SoundFont kits out and --own no our own, to see how well sounds never met are heard.
"""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from dataclasses import dataclass
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np
from fitted import MADE, made_of, save
from made_sounds import any_tone, programs_without, render_sounds, sound_of, struck_together
from networks import averaged, stored
from scipy.stats import spearmanr
from sklearn.neural_network import MLPClassifier, MLPRegressor
from strange_sounds import burst

from bench.made_loops import MadeLoop, made_loops
from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.bar_context import bar_features, bars_are_reliable
from easy_pocket.core.listen.candidates import Candidates, detect_candidates
from easy_pocket.core.listen.hit_classifier import FITTED_FILE, needed_log_odds, select_separated
from easy_pocket.core.listen.network import Network
from easy_pocket.core.listen.onsets import Onsets, level_features, measure, strengths
from easy_pocket.core.listen.preparation import Prepared, prepare
from easy_pocket.core.listen.ranked_readings import rank_readings
from easy_pocket.core.listen.signals import RATE_HZ

FEWEST_HEARD = 6  # hits of a loop that are told beside each other
A_BATCH = 40  # loops from one seed ...
STILL = 4  # ... and what holds no hit at all
HIDDEN = {"sound": 48, "bars": 24, "together": 48, "level": 48}
HIT_S, MISS_S = 0.0025, 0.005  # a place so near a hit is one; one farther off is none; between them nothing is learnt
FIRST_SEED = 1000  # no bench or test uses these
AGED = 0.5  # share of the loops that has gone through what bench/aging.py holds


@dataclass(frozen=True)
class Examples:
    """Of one loop: where something stirs, measured as if each place were a hit, and how far each is from one."""

    pictures: np.ndarray
    measured: Onsets
    off_s: np.ndarray
    middle_ms: np.ndarray  # how much later the middle of all sounds of the nearest hit lies than its first


def batches(loops: int, own: bool) -> list[tuple[int, bool]]:
    """Seed, and whether the sounds are our kits': a third is, if they may be."""
    count = loops // A_BATCH
    return [(FIRST_SEED + number, own and number % 3 == 0) for number in range(count)]


def stillness(dice: np.random.Generator) -> Audio:
    """What goes on without a hit: tones, chords that swell, hiss that comes and goes."""
    t = np.arange(int(dice.uniform(2, 6) * RATE_HZ)) / RATE_HZ
    x = np.zeros(len(t))
    for _ in range(int(dice.integers(1, 5))):
        slow = 1 + dice.uniform(0, 1) * np.sin(2 * np.pi * dice.uniform(0.1, 3) * t + dice.uniform(0, 6))
        hz = float(np.exp(dice.uniform(np.log(50), np.log(3000))))
        tone = dice.random() < 0.7
        x += slow * (np.sin(2 * np.pi * hz * t) if tone else dice.standard_normal(len(t)) * dice.uniform(0.01, 1))
    if dice.random() < 0.5:
        x *= np.clip(np.minimum(t, t[::-1]) / dice.uniform(0.03, 0.5), 0, 1)
    return Audio((0.5 * x / np.abs(x).max()).astype(np.float32), RATE_HZ, "still")


def any_sound(voice: str, dice: np.random.Generator) -> np.ndarray | None:
    return burst(voice, dice) if dice.random() < 0.2 else sound_of(voice, dice)


def loops_of(batch: tuple[int, bool]) -> Iterator[MadeLoop]:
    seed, own = batch
    return made_loops(
        A_BATCH, seed, sound_of=None if own else any_sound, busier=seed % 2 == 0, age=AGED, tone_of=any_tone
    )


def nearest_hits(loop: MadeLoop, times_s: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How far each time is from the nearest hit, in s, and how much later than it the middle of all that is struck
    with it lies, in ms; hits struck together are one, at the earliest."""
    together = [[float(hit["time_s"]) for hit in one] for one in struck_together(loop)]
    apart = times_s[None] - np.array([one[0] for one in together])[:, None]
    if loop.truth["ends"] != "untrimmed":
        length = loop.truth["duration_s"]
        apart = (apart + length / 2) % length - length / 2
    nearest = np.abs(apart).argmin(axis=0)
    middle_ms = np.array([1000 * (np.mean(one) - one[0]) for one in together])
    return np.abs(apart).min(axis=0), middle_ms[nearest]


def by_sound(batch: tuple[int, bool]) -> list[Examples]:
    examples = []
    dice = np.random.default_rng([batch[0], 99])
    for loop in (*loops_of(batch), *(None for _ in range(STILL))):
        prepared = prepare(loop.audio if loop else stillness(dice))
        found = detect_candidates(prepared)
        alone = [measure(prepared, found.at[index : index + 1], np.ones(1)) for index in range(len(found))]
        level = np.array([np.sqrt(np.mean(samples_after(prepared, at) ** 2)) for at in found.at])
        time_s = (found.at - prepared.context) / RATE_HZ
        bands = np.concatenate([one.bands for one in alone]) if alone else np.zeros((0, 3))
        measured = Onsets(time_s, level, np.ones(len(found)), bands, prepared.duration_s)
        apart, middle_ms = nearest_hits(loop, time_s) if loop else (np.ones(len(found)), np.zeros(len(found)))
        examples.append(Examples(found.pictures.astype(np.float32), measured, apart, middle_ms))
    return examples


def samples_after(prepared: Prepared, at: int) -> np.ndarray:
    return prepared.samples[at : at + int(0.06 * RATE_HZ)]


def by_bars(job: tuple[list[Examples], Network]) -> tuple[np.ndarray, np.ndarray]:
    """Pictures and distances of all places in loops whose bars can be read."""
    examples, sound = job
    pictures, apart = [], []
    for one in examples:
        odds = sound.of(one.pictures)
        time_s = one.measured.time_s
        at = np.rint((time_s + 1) * RATE_HZ).astype(np.intp)
        best = select_separated(at, odds, needed_log_odds(0.5))
        best = best[(time_s[best] >= 0) & (time_s[best] < one.measured.duration_s)]
        try:
            reading = rank_readings(one.measured.take(best))[0]
        except NoHitsError:
            continue
        if not bars_are_reliable(reading):
            continue
        inside, rows = bar_features(Candidates(at, at, np.zeros(len(at)), one.pictures), time_s, odds, reading)
        pictures.append(rows[inside].astype(np.float32))
        apart.append(one.off_s[inside])
    return np.concatenate(pictures), np.concatenate(apart)


def fitted(name: str, pictures: np.ndarray, apart: np.ndarray) -> Network:
    """Whether a place is a hit."""
    known = (apart < HIT_S) | (apart >= MISS_S)
    return averaged(name, MLPClassifier, pictures[known], apart[known] < HIT_S, HIDDEN[name])


def middles(examples: list[Examples]) -> Network:
    """How much later than its start the middle of a hit lies, in ms."""
    pictures = np.concatenate([one.pictures[one.off_s < HIT_S] for one in examples])
    middle_ms = np.concatenate([one.middle_ms[one.off_s < HIT_S] for one in examples])
    return averaged("together", MLPRegressor, pictures, middle_ms, HIDDEN["together"])


def levels_of(batch: tuple[int, bool]) -> list[tuple[np.ndarray, np.ndarray]]:
    """Of each loop what the level of its hits is told by, and the level itself, in dB beside the others'."""
    found = []
    for loop in loops_of(batch):
        prepared = prepare(loop.audio)
        at = detect_candidates(prepared).at
        together = struck_together(loop)
        true_at = np.array([one[0]["time_s"] for one in together]) * RATE_HZ + prepared.context
        nearest = np.abs(at[None] - true_at[:, None]).argmin(axis=1) if len(at) else np.zeros(0, dtype=np.intp)
        heard = np.abs(at[nearest] - true_at) < HIT_S * RATE_HZ if len(at) else np.zeros(0, dtype=bool)
        starts, first = np.unique(at[nearest][heard] if len(at) else nearest, return_index=True)
        if len(starts) < FEWEST_HEARD:
            continue
        summed = [np.sqrt(sum(hit["strength"] ** 2 for hit in one)) for one in together]
        level_db = 20 * np.log10(np.maximum(np.array(summed)[heard][first], 1e-6))
        features = level_features(prepared, starts, *strengths(prepared, starts))
        found.append((features.astype(np.float32), level_db - np.median(level_db)))
    return found


def levels(loops: list[tuple[np.ndarray, np.ndarray]]) -> Network:
    """How strong the drums of a hit alone are, in dB beside the median of its recording."""
    features, level_db = (np.concatenate([one[part] for one in loops]) for part in (0, 1))
    return averaged("level", MLPRegressor, features, level_db, HIDDEN["level"])


def by_their_sound(examples: list[Examples]) -> Network:
    return fitted(
        "sound", np.concatenate([one.pictures for one in examples]), np.concatenate([one.off_s for one in examples])
    )


def right_by(network: Network, examples: list[Examples]) -> np.ndarray:
    """For each place that is plainly a hit or plainly none, whether its sound alone tells so."""
    odds = np.concatenate([network.of(one.pictures) for one in examples])
    apart = np.concatenate([one.off_s for one in examples])
    known = (apart < HIT_S) | (apart >= MISS_S)
    return (odds[known] > needed_log_odds(0.5)) == (apart[known] < HIT_S)


def levels_ordered(loops: list[tuple[np.ndarray, np.ndarray]]) -> dict[str, float]:
    """How well the levels of a quarter of the loops are put in order by a network fitted to the others."""
    middle = 3 * len(loops) // 4
    network = levels(loops[:middle])
    ranks = [float(spearmanr(network.of(features), level_db)[0]) for features, level_db in loops[middle:]]
    return {"levels of loops left out, rank correlation, mean": round(float(np.nanmean(ranks)), 3)}


def keep(file: Path, new: dict[str, np.ndarray], told: dict[str, Any], scores: dict[str, Any]) -> None:
    """One network anew, the others as they are."""
    with np.load(file, allow_pickle=False) as known:
        kept = {key: known[key] for key in known.files if key != MADE}
    save(file, {**kept, **new}, **told, before=made_of(file), scores=scores)


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--loops", type=int, default=1800)
    asked.add_argument("--without", default="")
    asked.add_argument("--own", choices=("yes", "no"), default="yes")
    asked.add_argument("--only", choices=("together", "level"), help="leave the others as they are")
    asked.add_argument("-o", dest="out", type=Path, default=FITTED_FILE)
    args = asked.parse_args()
    told = {
        "tool": "fit hits",
        "arguments": {name: value for name, value in vars(args).items() if name != "out"},
        "data_seed": FIRST_SEED,
    }
    render_sounds(programs_without(args.without))
    with Pool() as pool:
        level, ordered = dict[str, np.ndarray](), dict[str, float]()
        if args.only != "together":
            of_level = pool.map(levels_of, batches(args.loops, args.own == "yes"), chunksize=1)
            loops = [one for batch in of_level for one in batch]
            level, ordered = stored("level", levels(loops)), levels_ordered(loops)
        if args.only == "level":
            keep(args.out, level, told, ordered)
            return
        batched = pool.map(by_sound, batches(args.loops, args.own == "yes"), chunksize=1)
        examples = [one for batch in batched for one in batch]
        if args.only:
            keep(args.out, stored(args.only, middles(examples)), told, made_of(args.out).get("scores", {}))
            return
        # What the bars say is learnt from odds as they are for loops the first network has not met.
        middle = len(examples) // 2
        halves = examples[:middle], examples[middle:]
        networks = pool.map(by_their_sound, halves)
        in_bars = pool.map(by_bars, [(halves[0], networks[1]), (halves[1], networks[0])])
    pictures, apart = (np.concatenate([one[part] for one in in_bars]) for part in (0, 1))
    found = {
        "sound": by_their_sound(examples), "bars": fitted("bars", pictures, apart), "together": middles(examples),
    }  # fmt: skip
    # Each half by the network that has not met it.
    told_right = np.concatenate([right_by(networks[1 - number], half) for number, half in enumerate(halves)])
    scores = {
        **ordered,
        "loops": len(examples),
        "places told right by their sound alone": round(float(told_right.mean()), 4),
    }
    save(
        args.out,
        {**level, **{key: part for name in found for key, part in stored(name, found[name]).items()}},
        **told,
        scores=scores,
    )


if __name__ == "__main__":
    main()
