"""Hits and patterns: what was written, before any feel."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from operator import attrgetter

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.pattern.articulation import PLAIN, Articulation
from easy_pocket.core.pattern.timebase import COMMON_TIME, MAX_BARS, Metre

MAX_HITS = 120_000
MAX_OFFSET_MS = 250.0
MAX_ALTERNATE = 4
FEW = 64  # hits that change at once, for which it pays to take over the columns of the others
_order = attrgetter("tick", "voice")


@dataclass(frozen=True, slots=True)
class Hit:
    """One written hit. `tick` counts from the pattern's start; `offset_ms` is its own offset, negative = early.

    alternate: 0 for the voice's own sound, 1-4 for one of its alternate sounds.
    """

    voice: str
    tick: int
    velocity: int
    offset_ms: float = 0.0
    alternate: int = 0
    articulation: Articulation = PLAIN


@dataclass(frozen=True)
class HitArrays:
    """The hits as columns, in the pattern's order (by tick, then voice).

    articulated: the few that are not plain, as (index, articulation).
    """

    voices: tuple[str, ...]
    voice_index: npt.NDArray[np.intp]
    tick: npt.NDArray[np.int64]
    velocity: npt.NDArray[np.int64]
    offset_ms: npt.NDArray[np.float64]
    alternate: npt.NDArray[np.int64]
    articulated: tuple[tuple[int, Articulation], ...] = ()

    @property
    def columns(self) -> tuple[npt.NDArray[np.number], ...]:
        return self.voice_index, self.tick, self.velocity, self.offset_ms, self.alternate


@dataclass(frozen=True)
class Pattern:
    """Hits of one part over `length_ticks`, one at most per voice and tick, sorted.

    locked_places are ticks within a bar that edits leave alone in every bar.

    Raises BadValueError for a length outside 1 tick to 512 bars of 4/4, more than 120,000 hits, two hits of a
    voice on one tick, a hit outside the pattern, a velocity outside 1-127 or an own offset beyond +-250 ms.
    """

    length_ticks: int
    hits: tuple[Hit, ...] = ()
    metre: Metre = COMMON_TIME
    locked_voices: frozenset[str] = frozenset()
    locked_places: frozenset[int] = frozenset()

    def __post_init__(self) -> None:
        require_range("The length", self.length_ticks, 1, MAX_BARS * 3840, "ticks")
        require_range("The number of hits", len(self.hits), 0, MAX_HITS)
        ordered = tuple(sorted(self.hits, key=_order))
        object.__setattr__(self, "hits", ordered)
        if ordered and not self._sound():
            self._refuse(ordered)

    def _sound(self) -> bool:
        """Whether all hits are fit to be there, by whole columns; only what is not is looked at one by one."""
        columns = self.arrays
        tick, voice = columns.tick, columns.voice_index
        twice = (tick[1:] == tick[:-1]) & (voice[1:] == voice[:-1])  # in order, two of a place are neighbours
        return bool(
            tick[0] >= 0
            and tick[-1] < self.length_ticks
            and columns.velocity.min() >= 1
            and columns.velocity.max() <= 127
            and np.abs(columns.offset_ms).max() <= MAX_OFFSET_MS  # NaN is not
            and columns.alternate.min() >= 0
            and columns.alternate.max() <= MAX_ALTERNATE
            and not twice.any()
        )

    def _refuse(self, ordered: tuple[Hit, ...]) -> None:
        previous = (-1, "")
        for hit in ordered:
            if _order(hit) == previous:
                raise BadValueError(f"Two {hit.voice} hits lie on tick {hit.tick}; a voice has one hit in a place.")
            previous = _order(hit)
            self._check(hit)

    def _check(self, hit: Hit) -> None:
        if not 0 <= hit.tick < self.length_ticks:
            raise BadValueError(
                f"A {hit.voice} hit lies on tick {hit.tick}, the pattern ends at {self.length_ticks}: "
                "lengthen the pattern or move the hit."
            )
        if not 1 <= hit.velocity <= 127:
            raise BadValueError(f"A {hit.voice} hit has velocity {hit.velocity}; it must lie between 1 and 127.")
        if not abs(hit.offset_ms) <= MAX_OFFSET_MS:
            raise BadValueError(
                f"A {hit.voice} hit is {hit.offset_ms:g} ms off its place; at most {MAX_OFFSET_MS:g} ms are "
                "possible: move it by a slot instead."
            )
        if not 0 <= hit.alternate <= MAX_ALTERNATE:
            raise BadValueError(
                f"A {hit.voice} hit asks for sound {hit.alternate}; 0 (its own) to {MAX_ALTERNATE} are possible."
            )

    @property
    def bars(self) -> int:
        """Bars of the metre the pattern reaches into."""
        return -(-self.length_ticks // self.metre.bar_ticks)

    def at(self, voice: str, tick: int) -> Hit | None:
        """The hit in a place, if there is one."""
        place = bisect_left(self.hits, (tick, voice), key=_order)
        found = self.hits[place] if place < len(self.hits) else None
        return found if found and (found.tick, found.voice) == (tick, voice) else None

    @cached_property
    def by_place(self) -> dict[tuple[str, int], Hit]:
        return {(hit.voice, hit.tick): hit for hit in self.hits}

    @cached_property
    def arrays(self) -> HitArrays:
        count = len(self.hits)
        voices = tuple(dict.fromkeys(hit.voice for hit in self.hits))
        index_of = {voice: index for index, voice in enumerate(voices)}
        return HitArrays(
            voices=voices,
            voice_index=np.fromiter((index_of[hit.voice] for hit in self.hits), np.intp, count),
            tick=np.fromiter((hit.tick for hit in self.hits), np.int64, count),
            velocity=np.fromiter((hit.velocity for hit in self.hits), np.int64, count),
            offset_ms=np.fromiter((hit.offset_ms for hit in self.hits), np.float64, count),
            alternate=np.fromiter((hit.alternate for hit in self.hits), np.int64, count),
            articulated=tuple((i, h.articulation) for i, h in enumerate(self.hits) if h.articulation is not PLAIN),
        )

    @cached_property
    def token(self) -> object:
        """What tells this pattern from every other one, without holding on to it."""
        return object()

    def differences(self, after: Pattern) -> tuple[list[Hit], list[Hit]]:
        """Hits that are gone in `after`, and hits that have come. Those an edit leaves alone are the same objects."""
        token, gone, come = after.__dict__.get("since", (None, (), ()))
        if token is not self.token:
            known_before, known_after = set(map(id, self.hits)), set(map(id, after.hits))
            gone = [hit for hit in self.hits if id(hit) not in known_after]
            come = [hit for hit in after.hits if id(hit) not in known_before]
        was, now = set(gone), set(come)
        return sorted(was - now, key=_order), sorted(now - was, key=_order)

    def exchanged(self, gone: Iterable[Hit], come: Iterable[Hit]) -> Pattern:
        """Without these of its hits, and with those.

        When few change, the columns of the many others are taken over instead of being made anew.
        """
        gone, come = list(gone), sorted(come, key=_order)
        for hit in come:
            self._check(hit)
        if not self.hits or len(gone) + len(come) > FEW:
            left = set(map(id, gone))
            return self.with_hits((*(hit for hit in self.hits if id(hit) not in left), *come))
        hits, columns = list(self.hits), self.arrays
        places = sorted((bisect_left(hits, _order(hit), key=_order) for hit in gone), reverse=True)
        for place in places:
            del hits[place]
        kept = [np.delete(column, places) for column in columns.columns]
        voices = (*columns.voices, *dict.fromkeys(hit.voice for hit in come if hit.voice not in columns.voices))
        index_of = {voice: index for index, voice in enumerate(voices)}
        at = []
        for hit in come:
            place = bisect_left(hits, _order(hit), key=_order)
            if place < len(hits) and _order(hits[place]) == _order(hit):
                return self.with_hits((*hits, *come))  # refused there, in words
            at.append(place)
            hits.insert(place, hit)
        # np.insert counts places in what is there before: the k-th new hit stands k places further on in the end.
        before = [place - number for number, place in enumerate(at)]
        rows: list[list[float]] = [
            [index_of[hit.voice] for hit in come], [hit.tick for hit in come], [hit.velocity for hit in come],
            [hit.offset_ms for hit in come], [hit.alternate for hit in come],
        ]  # fmt: skip
        joined = [np.insert(column, before, row) for column, row in zip(kept, rows, strict=True)]
        if len(np.unique(joined[0])) < len(voices):
            return self.with_hits(hits)  # a voice has lost its last hit
        after = object.__new__(Pattern)
        for name in ("length_ticks", "metre", "locked_voices", "locked_places"):
            object.__setattr__(after, name, getattr(self, name))
        object.__setattr__(after, "hits", tuple(hits))
        articulated = tuple((i, hit.articulation) for i, hit in enumerate(hits) if hit.articulation is not PLAIN)
        after.__dict__["arrays"] = HitArrays(voices, joined[0], joined[1], joined[2], joined[3], joined[4], articulated)
        after.__dict__["since"] = (self.token, tuple(gone), tuple(come))
        return after

    def with_hits(self, hits: Iterable[Hit]) -> Pattern:
        return replace(self, hits=tuple(hits))
