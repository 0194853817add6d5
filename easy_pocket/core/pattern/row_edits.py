"""Edits of many hits of a row at once: painted, wiped, spread, thinned, copied, turned. Each is one move to undo.

Like single edits they never guess: what does not fit is refused whole, in words. A place that has a hit already keeps
it, with its velocity and offset.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from annotated_types import Ge, Le, MaxLen, MinLen

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.keyed_random import uniform
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.pattern_edit import AnyTick, Count, Number, PatternEdit, Place, Seed, Tick, Voice, Word
from easy_pocket.core.pattern.voices import ROLES, check_voice, voice_name
from easy_pocket.core.text import counted

MAX_AT_ONCE = 4096
TURNS = ("reverse", "mirror", "later", "earlier")


@dataclass(frozen=True)
class WriteHits(PatternEdit, kind="paint"):
    """A hit on each of these ticks that has none."""

    voice: Voice
    ticks: Annotated[tuple[Tick, ...], MinLen(1), MaxLen(MAX_AT_ONCE)]
    velocity: Count = 96

    def applied(self, pattern: Pattern) -> Pattern:
        return _written(pattern, self.voice, self.ticks, self.velocity)

    def description(self, pattern: Pattern) -> str:
        return f"paint {counted(len(self.ticks), f'{voice_name(self.voice)} hit')}"


@dataclass(frozen=True)
class RemoveHits(PatternEdit, kind="wipe"):
    """These hits away; places without a hit are passed over."""

    places: Annotated[tuple[Place, ...], MinLen(1), MaxLen(MAX_AT_ONCE)]

    def applied(self, pattern: Pattern) -> Pattern:
        gone = set(self.places)
        kept = tuple(hit for hit in pattern.hits if (hit.voice, hit.tick) not in gone)
        if len(kept) == len(pattern.hits):
            raise EditRefusedError("There are no hits there any more; this is the pattern as it is now.")
        return pattern.with_hits(kept)

    def description(self, pattern: Pattern) -> str:
        names = {voice_name(voice) for voice, _ in self.places}
        scope_name = f" {names.pop()}" if len(names) == 1 else ""
        return f"wipe {len(self.places)}{scope_name} hit{'s' if len(self.places) != 1 else ''}"


@dataclass(frozen=True)
class PaintRow(PatternEdit, kind="row_every"):
    """A hit on every n-th slot from a place to the end of the pattern; replace: what else the row has there goes."""

    voice: Voice
    start_tick: Tick
    step_ticks: Tick
    every: Count
    velocity: Count = 96
    replace: bool = False

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("Every so many slots", self.every, 1, 64)
        slots = _slots(pattern, self.start_tick, self.step_ticks * self.every)
        if self.replace:
            stays = set(slots)
            left = [
                hit
                for hit in pattern.hits
                if hit.voice != self.voice or hit.tick < self.start_tick or hit.tick in stays
            ]
            emptier = pattern.with_hits(left)
            if len(left) < len(pattern.hits) and all((self.voice, tick) in emptier.by_place for tick in stays):
                return emptier
            pattern = emptier
        return _written(pattern, self.voice, slots, self.velocity)

    def description(self, pattern: Pattern) -> str:
        name = voice_name(self.voice)
        only = "only " if self.replace else ""
        return f"{name} {only}on every slot" if self.every == 1 else f"{name} {only}on every {self.every}. slot"


@dataclass(frozen=True)
class SpreadRow(PatternEdit, kind="row_spread"):
    """`hits` hits as evenly as they go over `slots` slots from a place on, turned by so many slots.

    What the row has there goes. Again and again to the end of the pattern. After Toussaint (2005).
    """

    voice: Voice
    start_tick: Tick
    step_ticks: Tick
    hits: Count
    slots: Count
    turned: Annotated[int, Ge(-64), Le(64)] = 0
    velocity: Count = 96

    def applied(self, pattern: Pattern) -> Pattern:
        check_voice(self.voice)
        slot_ticks = _slots(pattern, self.start_tick, self.step_ticks)
        chosen = set(spread(self.hits, self.slots, self.turned))
        ticks = [tick for number, tick in enumerate(slot_ticks) if number % self.slots in chosen]
        cleared = [hit for hit in pattern.hits if hit.voice != self.voice or hit.tick < self.start_tick]
        return pattern.with_hits((*cleared, *(Hit(self.voice, tick, self.velocity) for tick in ticks)))

    def description(self, pattern: Pattern) -> str:
        turned = f", turned by {self.turned}" if self.turned else ""
        return f"{voice_name(self.voice)} {self.hits} over {self.slots}{turned}"


@dataclass(frozen=True)
class ThinRow(PatternEdit, kind="row_thin"):
    """Leave this many percent of a row's hits, chosen by chance; the same seed leaves the same ones."""

    voice: Voice
    percent: Number
    seed: Seed

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("The share to leave", self.percent, 0, 100, "%")
        row = _needs_hits(pattern, self.voice)
        chance = uniform(self.seed, f"thin {self.voice}", np.array([hit.tick for hit in row]))
        count = round(len(row) * self.percent / 100)
        left = {row[place].tick for place in np.argsort(chance, kind="stable")[:count].tolist()}
        return pattern.with_hits(hit for hit in pattern.hits if hit.voice != self.voice or hit.tick in left)

    def description(self, pattern: Pattern) -> str:
        return f"thin {voice_name(self.voice)} to {self.percent:g} %"


@dataclass(frozen=True)
class CopyRow(PatternEdit, kind="row_copy"):
    """A voice's hits to another voice, so many ticks later (negative: earlier), round the pattern's end."""

    voice: Voice
    to_voice: Voice
    shift_ticks: AnyTick = 0

    def applied(self, pattern: Pattern) -> Pattern:
        voice, to_voice = self.voice, self.to_voice
        if to_voice == voice and not self.shift_ticks:
            raise EditRefusedError("A row copied onto itself is the same row: choose another voice, or shift it.")
        copies = [
            replace(hit, voice=check_voice(to_voice), tick=(hit.tick + self.shift_ticks) % pattern.length_ticks)
            for hit in _needs_hits(pattern, voice)
        ]
        free = [copy for copy in copies if (to_voice, copy.tick) not in pattern.by_place]
        if not free:
            raise EditRefusedError(f"{ROLES[to_voice].name} has a hit on each of these places already.")
        return pattern.with_hits((*pattern.hits, *free))

    def description(self, pattern: Pattern) -> str:
        return f"copy {voice_name(self.voice)} to {voice_name(self.to_voice)}"


@dataclass(frozen=True)
class TurnRow(PatternEdit, kind="row_turn"):
    """Turn a row round.

    "reverse": the last slot becomes the first. "mirror": the second half becomes the first, backwards. "later" or
    "earlier": by one slot, round the end.
    """

    voice: Voice
    how: Word
    step_ticks: Tick

    def applied(self, pattern: Pattern) -> Pattern:
        return _turned(pattern, self.voice, self.how, self.step_ticks)

    def description(self, pattern: Pattern) -> str:
        return f"{voice_name(self.voice)} {'one slot ' if self.how in ('later', 'earlier') else ''}{self.how}"


def spread(hits: int, slots: int, turned: int = 0) -> list[int]:
    """Slots of `hits` hits spread as evenly as they go, the first on slot 0 before turning: 3 in 8 is 0, 3, 6.

    Parameters
    ----------
    hits
        How many hits.
    slots
        How many slots.
    turned
        By how many slots they are turned to the right.

    Returns
    -------
    list[int]
        Slots, rising.
    """
    require_range("The number of slots", slots, 1, 64)
    require_range("The number of hits to spread", hits, 0, slots)
    return sorted((-(-number * slots // hits) + turned) % slots for number in range(hits)) if hits else []


def _row(pattern: Pattern, voice: str) -> list[Hit]:
    return [hit for hit in pattern.hits if hit.voice == voice]


def _needs_hits(pattern: Pattern, voice: str) -> list[Hit]:
    row = _row(pattern, voice)
    if not row:
        raise EditRefusedError(f"{ROLES[check_voice(voice)].name} has no hits yet: write some first.")
    return row


def _written(pattern: Pattern, voice: str, ticks: Iterable[int], velocity: int) -> Pattern:
    check_voice(voice)
    require_range("The velocity", velocity, 1, 127)
    wanted = sorted({tick for tick in ticks if (voice, tick) not in pattern.by_place})
    require_range("The number of hits written at once", len(wanted), 0, MAX_AT_ONCE)
    if not wanted:
        raise EditRefusedError(f"{ROLES[voice].name} has a hit on each of these places already.")
    return pattern.with_hits((*pattern.hits, *(Hit(voice, tick, velocity) for tick in wanted)))


def _slots(pattern: Pattern, start_tick: int, step_ticks: int) -> range:
    require_range("The place to begin", start_tick, 0, pattern.length_ticks - 1, "ticks")
    require_range("A slot", step_ticks, 1, pattern.length_ticks, "ticks")
    return range(start_tick, pattern.length_ticks, step_ticks)


def _turned(pattern: Pattern, voice: str, how: str, step_ticks: int) -> Pattern:
    length = pattern.length_ticks
    require_range("A slot", step_ticks, 1, length, "ticks")
    row = _needs_hits(pattern, voice)
    last = (length - 1) // step_ticks * step_ticks
    moves: dict[str, Callable[[int], int]] = {
        "reverse": lambda tick: (last - tick) % length,
        "later": lambda tick: (tick + step_ticks) % length,
        "earlier": lambda tick: (tick - step_ticks) % length,
    }
    others = [hit for hit in pattern.hits if hit.voice != voice]
    if how == "mirror":
        first = [hit for hit in row if hit.tick < length // 2]
        back = [replace(hit, tick=last - hit.tick) for hit in first if last - hit.tick >= length // 2]
        return pattern.with_hits((*others, *first, *back))
    if how not in moves:
        raise EditRefusedError(f"A row can be turned by {', '.join(TURNS)}; '{how[:20]}' is none of them.")
    return pattern.with_hits((*others, *(replace(hit, tick=moves[how](hit.tick)) for hit in row)))
