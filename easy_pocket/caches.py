"""What is kept in memory to be had again: bounded by bytes, the least lately used goes first; sizes in /ready."""

from __future__ import annotations

import sys
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, Generic, TypeVar
from weakref import WeakSet

import numpy as np
from cachetools import LRUCache

from easy_pocket.core.cache import ResultCache

Value = TypeVar("Value")


class ByteCache(Generic[Value]):
    """Safe to share between threads; two threads that miss the same key both make it, and one value is kept. size_of
    tells the bytes of a value, by default of an array."""

    def __init__(self, name: str, most_bytes: int, size_of: Callable[[Value], int] | None = None) -> None:
        self.name, self.most_bytes = name, most_bytes
        self._size_of = size_of or _bytes_of
        self._held: LRUCache[Hashable, tuple[int, Value]] = LRUCache(most_bytes, getsizeof=lambda kept: kept[0])
        self._lock = Lock()
        _ALL.add(self)

    def get(self, key: Hashable, make: Callable[[], Value]) -> Value:
        """The value of this key, made now if it is not held. Callers must not change it."""
        found = self.find(key)
        return found if found is not None else self.put(key, make())

    def find(self, key: Hashable) -> Value | None:
        with self._lock:
            found: tuple[int, Value] | None = self._held.get(key)
            return found and found[1]

    def put(self, key: Hashable, value: Value) -> Value:
        """One that is larger than the whole cache is given, and not kept."""
        size = self._size_of(value)
        with self._lock:
            if size <= self.most_bytes:
                self._held[key] = size, value
        return value

    def clear(self) -> None:
        with self._lock:
            self._held.clear()

    @property
    def facts(self) -> dict[str, object]:
        with self._lock:
            return {
                "name": self.name,
                "entries": len(self._held),
                "bytes": int(self._held.currsize),
                "most_bytes": self.most_bytes,
            }


_ALL: WeakSet[ByteCache[Any]] = WeakSet()


def cache_sizes() -> list[dict[str, Any]]:
    """What every cache holds now, by name."""
    return sorted((cache.facts for cache in list(_ALL)), key=lambda facts: facts["name"])


def give_core_its_caches(share: float = 1.0) -> None:
    """Let the core keep what it computed, or a share of it; see core/cache.py."""
    ResultCache.provide(lambda name, most_bytes: ByteCache(name, int(most_bytes * share)))


FEW = 8  # entries of a list that are looked at one by one; of more, the first stands for all
PLAIN = 64  # bytes of a number or another small thing


def _bytes_of(value: Any, depth: int = 3) -> int:
    """About how much memory a value takes: arrays to the byte, what holds them with a little more."""
    if isinstance(value, np.ndarray):
        return int(value.nbytes) + 100
    if isinstance(value, str | bytes | bytearray):
        return sys.getsizeof(value)
    if depth == 0 or value is None or isinstance(value, int | float | bool):
        return PLAIN
    if isinstance(value, dict):
        value = list(value.values())
    if isinstance(value, list | tuple | set | frozenset):
        if len(value) > FEW:
            return PLAIN + len(value) * _bytes_of(next(iter(value)), depth - 1)
        return PLAIN + sum(_bytes_of(one, depth - 1) for one in value)
    held = getattr(value, "__dict__", None)
    return PLAIN if held is None else PLAIN + sum(_bytes_of(one, depth - 1) for one in held.values())
