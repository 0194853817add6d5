"""Where results of a computation may be kept. The core keeps nothing: who runs it gives each place a cache."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any, ClassVar, Generic, Protocol, TypeVar, cast

Value = TypeVar("Value")


class Cache(Protocol):
    """A place to keep results in, given from outside: bounded by whoever gives it."""

    def get(self, key: Hashable, make: Callable[[], Any]) -> Any: ...

    def clear(self) -> None: ...


# Gives a cache for a name and so many bytes at most.
Provider = Callable[[str, int], Cache]


class ResultCache(Generic[Value]):
    """A place of one kind of results, by key. Without a cache everything is made anew."""

    places: ClassVar[list[ResultCache[Any]]] = []
    provider: ClassVar[Provider | None] = None

    def __init__(self, name: str, most_bytes: int) -> None:
        self.name, self.most_bytes = name, most_bytes
        self._cache = ResultCache.provider(name, most_bytes) if ResultCache.provider else None
        ResultCache.places.append(self)

    @classmethod
    def provide(cls, provider: Provider | None) -> None:
        """Give every place a cache, also those of modules that are imported later; None takes them all away."""
        cls.provider = provider
        for place in cls.places:
            place.use(provider(place.name, place.most_bytes) if provider else None)

    def use(self, cache: Cache | None) -> None:
        self._cache = cache

    def get(self, key: Hashable, make: Callable[[], Value]) -> Value:
        """The result of this key, made now if it is not kept. Callers must not change it."""
        return make() if self._cache is None else cast(Value, self._cache.get(key, make))

    def clear(self) -> None:
        if self._cache is not None:
            self._cache.clear()
