"""Finding sounds: one index over all of them as columns, and what is asked of it."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Places = npt.NDArray[np.intp]

SOURCES = ("model", "sampled", "yours", "folded")
TAKEN_DB = 30.0  # a band this far below the loudest is free
MAX_WORDS = 8


@dataclass(frozen=True)
class SoundIndex:
    """All sounds of a library, one per row.

    thirds_db: shape (n, 30), the loudest band of each 0; used_at: seconds since the epoch, 0 for never.
    """

    ids: npt.NDArray[np.int64]
    names: tuple[str, ...]
    roles: npt.NDArray[np.str_]
    sources: npt.NDArray[np.str_]
    bright_hz: Floats
    length_s: Floats
    noisy: Floats
    thirds_db: npt.NDArray[np.float32]
    favourite: npt.NDArray[np.bool_]
    used_at: Floats

    def with_row(self, place: int, name: str, role: str, favourite: bool, used_at: float) -> SoundIndex:
        """The index with what a user changes of one sound; what was measured of it stays."""
        if name == self.names[place] and role == self.roles[place]:
            changed = replace(self, favourite=self.favourite.copy(), used_at=self.used_at.copy())
            for cached in ("lower_names", "by_name", "place_of", "likeness"):
                if cached in self.__dict__:
                    changed.__dict__[cached] = self.__dict__[cached]
        else:
            roles = self.roles.astype(np.result_type(self.roles, np.array(role)))
            roles[place] = role
            names = (*self.names[:place], name, *self.names[place + 1 :])
            changed = replace(
                self, names=names, roles=roles, favourite=self.favourite.copy(), used_at=self.used_at.copy()
            )
        changed.favourite[place], changed.used_at[place] = favourite, used_at
        return changed

    @cached_property
    def lower_names(self) -> tuple[str, ...]:
        return tuple(name.casefold() for name in self.names)

    @cached_property
    def by_name(self) -> Places:
        """In the order of the names, numbers in them by what they count: 2 comes before 10."""
        counted = [re.sub(r"\d{1,9}", lambda number: number.group().zfill(9), name) for name in self.lower_names]
        return np.argsort(np.array(counted, dtype=np.str_), kind="stable")

    @cached_property
    def place_of(self) -> dict[int, int]:
        return {int(key): place for place, key in enumerate(self.ids)}

    @cached_property
    def likeness(self) -> Floats:
        """Columns in which near means alike to the ear: pitch of the middle, length, noise, and the bands."""
        bands = np.clip(self.thirds_db, -50, 0) / 50
        plain = np.stack([np.log2(self.bright_hz) / 2, np.log2(self.length_s + 0.01) / 2, self.noisy * 1.5], axis=1)
        return np.concatenate([plain, bands / np.sqrt(bands.shape[1]) * 3], axis=1)


@dataclass(frozen=True)
class Query:
    """What is asked for. bright, long, noisy: 1 keeps the upper half of what matches, -1 the lower, 0 all.

    like: id of a sound others are to be like. free_bands: shape (30,), 0-1, how much room the other layers leave.
    """

    role: str | None = None
    source: str | None = None
    words: str = ""
    favourite: bool = False
    recent: bool = False
    bright: int = 0
    long: int = 0
    noisy: int = 0
    like: int | None = None
    free_bands: Floats | None = None


def search(index: SoundIndex, query: Query) -> Places:
    """Places in the index of what matches, the best first.

    By likeness or fit when asked, the latest first when only recent ones are wanted, else by name.
    """
    keep = np.ones(len(index.ids), dtype=bool)
    if query.role:
        keep &= index.roles == query.role
    if query.source:
        keep &= index.sources == query.source
    if query.favourite:
        keep &= index.favourite
    if query.recent:
        keep &= index.used_at > 0
    for word in query.words.casefold().split()[:MAX_WORDS]:
        keep &= np.fromiter((word in name for name in index.lower_names), bool, len(keep))
    for values, side in ((index.bright_hz, query.bright), (index.length_s, query.long), (index.noisy, query.noisy)):
        if side and keep.any():
            middle = np.median(values[keep])
            keep &= (values > middle) if side > 0 else (values <= middle)
    if query.like is not None and query.like in index.place_of:
        here = index.place_of[query.like]
        distance = ((index.likeness - index.likeness[here]) ** 2).sum(axis=1)
        keep[here] = False
        order = np.argsort(distance, kind="stable")
    elif query.free_bands is not None:
        order = np.argsort(-fit(index.thirds_db, query.free_bands), kind="stable")
    elif query.recent:
        order = np.argsort(-index.used_at, kind="stable")
    else:
        order = index.by_name
    return np.asarray(order[keep[order]], dtype=np.intp)


def free_bands(energy: Floats) -> Floats:
    """How much room sounds with this energy per third leave, 0 (none) to 1, shape (30,)."""
    level_db = 10 * np.log10(np.maximum(energy, 1e-12) / max(float(energy.max()), 1e-12))
    return np.asarray(np.clip(-level_db / TAKEN_DB, 0, 1))


def fit(thirds_db: npt.NDArray[np.float32], free: Floats) -> Floats:
    """The share of each sound's energy that falls where there is room: shape (n,), 0-1."""
    energy = 10 ** (np.asarray(thirds_db, dtype=np.float64) / 10)
    return np.asarray((energy @ free) / energy.sum(axis=1))
