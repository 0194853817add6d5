"""Chance that is keyed, not drawn in order: the same place always gets the same numbers, whatever else is there."""

from __future__ import annotations

import zlib

import numpy as np
import numpy.typing as npt
from scipy.special import ndtri

Words = npt.NDArray[np.uint64]


def _mixed(words: Words) -> Words:
    """SplitMix64 (Steele, Lea, Flood 2014): neighbouring keys give unrelated words."""
    words = words + np.uint64(0x9E3779B97F4A7C15)
    words = (words ^ (words >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    words = (words ^ (words >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return words ^ (words >> np.uint64(31))


def uniform(seed: int, name: str, *keys: npt.NDArray[np.integer]) -> npt.NDArray[np.float64]:
    """Numbers in (0, 1) for every row of the keys, which are arrays of one shape; `name` says what they are for."""
    with np.errstate(over="ignore"):
        words = _mixed(np.full(keys[0].shape, (seed << 32 ^ zlib.crc32(name.encode())) % 2**64, dtype=np.uint64))
        for key in keys:
            words = _mixed(words ^ np.asarray(key).astype(np.int64).view(np.uint64))
    return ((words >> np.uint64(11)).astype(np.float64) + 0.5) / 2**53


def normal(seed: int, name: str, *keys: npt.NDArray[np.integer]) -> npt.NDArray[np.float64]:
    """Standard normal numbers, keyed like `uniform` and held within three deviations."""
    return np.asarray(np.clip(ndtri(uniform(seed, name, *keys)), -3.0, 3.0))
