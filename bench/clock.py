"""Timing: the median of several runs, after one to warm up."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np


def times_ms(work: Callable[[], object], runs: int = 9) -> np.ndarray:
    work()
    found = []
    for _ in range(runs):
        began = time.perf_counter()
        work()
        found.append((time.perf_counter() - began) * 1000)
    return np.array(found)


def median_ms(work: Callable[[], object], runs: int = 9) -> float:
    return float(np.median(times_ms(work, runs)))
