"""Fit the weights by which readings of a loop are ranked beside their fit (core/listen/reading_habits.npz): a
conditional logit model over the readings of each of some hundred loops made for it (bench/made_loops.py), usual and
hard ones, half of them aged. What it says of loops it was not fitted to is printed, and kept in the file.

    PYTHONPATH=.:tools python tools/fit_readings.py [--loops 600] [-o FILE]
"""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from itertools import chain
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np
from fitted import save
from scipy.optimize import minimize

from bench.made_loops import made_loops
from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.listen.ranked_readings import BELIEF, plain_readings
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.reading_habits import FITTED_FILE, HABITS, habits_of

FIRST_SEED, HELD_OUT_SEED = 77_101, 88_001
A_BATCH = 60
HARD_SHARE = 0.45
STRICT = 0.01  # price of weights, so that rare traits say little


def is_true(truth: dict[str, Any], reading: Reading) -> bool:
    """Tempo within 1 % and as many bars; 6/8 may be counted in two."""
    tempi = [truth["tempo_bpm"], truth["tempo_bpm"] * 4 / truth["beat_unit"]]
    tempi += [other["tempo_bpm"] for other in truth.get("alt_readings", [])]
    return reading.bars == truth["bars"] and any(abs(reading.tempo_bpm / bpm - 1) < 0.01 for bpm in tempi)


def examples(batch: tuple[int, bool]) -> list[tuple[np.ndarray, np.ndarray]]:
    """Of each loop the figures of its readings, shape (readings, 1 + habits), the score first; and which are true."""
    seed, hard = batch
    found = []
    for loop in made_loops(A_BATCH, seed, age=0.5, hard=hard):
        try:
            onsets = analyze_loop(loop.audio).onsets
            readings = plain_readings(onsets)
        except NoHitsError:
            continue
        rows = [np.concatenate([[one.score], habits_of(onsets, one)]) for one in readings]
        found.append((np.array(rows), np.array([is_true(loop.truth, one) for one in readings])))
    return found


def batches(loops: int, first: int) -> Iterator[tuple[int, bool]]:
    count = max(loops // A_BATCH, 2)
    for number in range(count):
        yield first + number, number < HARD_SHARE * count


def right(found: list[tuple[np.ndarray, np.ndarray]], weights: np.ndarray) -> float:
    return float(np.mean([true[(rows[:, 0] + rows[:, 1:] @ weights).argmax()] for rows, true in found]))


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--loops", type=int, default=600)
    asked.add_argument("-o", type=Path, default=FITTED_FILE)
    args = asked.parse_args()
    with Pool() as pool:
        found = list(chain.from_iterable(pool.map(examples, batches(args.loops, FIRST_SEED))))
        others = list(chain.from_iterable(pool.map(examples, batches(args.loops // 2, HELD_OUT_SEED))))
    known = [(rows, true) for rows, true in found if true.any()]
    spread = np.concatenate([rows[:, 1:] for rows, _ in known]).std(axis=0) + 1e-9

    def cost(weights: np.ndarray) -> float:
        total = 0.0
        for rows, true in known:
            z = BELIEF * rows[:, 0] + rows[:, 1:] @ (weights / spread)
            odds = np.exp(z - z.max())
            total -= float(np.log(odds[true].sum() / odds.sum()))
        return total / len(known) + STRICT * float((weights**2).sum())

    fitted = minimize(cost, np.zeros(len(HABITS)), method="L-BFGS-B")
    weights = fitted.x / spread / BELIEF
    none = np.zeros(len(HABITS))
    scores = {
        "fitted on": len(known), "right": round(right(found, weights), 3), "before": round(right(found, none), 3),
        "held out": len(others), "right held out": round(right(others, weights), 3),
        "before held out": round(right(others, none), 3),
    }  # fmt: skip
    for name, weight in zip(HABITS, weights, strict=True):
        print(f"{name:24} {weight:+.3f}")
    save(args.o, {"weights": weights}, tool="fit readings", arguments=vars(args) | {"o": args.o.name},
         data_seed=FIRST_SEED, scores=scores)  # fmt: skip


if __name__ == "__main__":
    main()
