"""Edits of many hits of a row at once: painted, wiped, spread, thinned, copied, turned. Each is one move to undo.

Like single edits they never guess: what does not fit is refused whole, in words. A place that has a hit already keeps
it, with its velocity and offset.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import numpy as np

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.pattern import Hit, Pattern
from easy_pocket.core.scatter import uniform
from easy_pocket.core.voices import ROLES, check_voice, voice_name

MAX_AT_ONCE = 4096
TURNS = ("reverse", "mirror", "later", "earlier")


@dataclass(frozen=True)
class WriteHits:
    """A hit on each of these ticks that has none."""

    voice: str
    ticks: tuple[int, ...]
    velocity: int = 96


@dataclass(frozen=True)
class RemoveHits:
    """These hits away; places without a hit are passed over."""

    places: tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class PaintRow:
    """A hit on every n-th slot from a place to the end of the pattern."""

    voice: str
    start_tick: int
    step_ticks: int
    every: int
    velocity: int = 96


@dataclass(frozen=True)
class SpreadRow:
    """`hits` hits as evenly as they go over `slots` slots from a place on, turned by so many slots; what the row has
    there goes. Again and again to the end of the pattern. After Toussaint (2005)."""

    voice: str
    start_tick: int
    step_ticks: int
    hits: int
    slots: int
    turned: int = 0
    velocity: int = 96


@dataclass(frozen=True)
class ThinRow:
    """Leave this many percent of a row's hits, chosen by chance; the same seed leaves the same ones."""

    voice: str
    percent: float
    seed: int


@dataclass(frozen=True)
class CopyRow:
    """A voice's hits to another voice, so many ticks later (negative: earlier), round the pattern's end."""

    voice: str
    to_voice: str
    shift_ticks: int = 0


@dataclass(frozen=True)
class TurnRow:
    """Turn a row round: "reverse" (the last slot becomes the first), "mirror" (the second half becomes the first,
    backwards), "later" or "earlier" by one slot, round the end."""

    voice: str
    how: str
    step_ticks: int


RowEdit = WriteHits | RemoveHits | PaintRow | SpreadRow | ThinRow | CopyRow | TurnRow


def spread(hits: int, slots: int, turned: int = 0) -> list[int]:
    """Slots of `hits` hits spread as evenly as they go, the first on slot 0 before turning: 3 in 8 is 0, 3, 6."""
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


def apply_row_edit(pattern: Pattern, edit: RowEdit) -> Pattern:
    """The pattern after the edit. Raises EditRefusedError or BadValueError and changes nothing."""
    match edit:
        case WriteHits(voice, ticks, velocity):
            return _written(pattern, voice, ticks, velocity)
        case RemoveHits(places):
            gone = set(places)
            kept = tuple(hit for hit in pattern.hits if (hit.voice, hit.tick) not in gone)
            if len(kept) == len(pattern.hits):
                raise EditRefusedError("There are no hits there any more; this is the pattern as it is now.")
            return pattern.with_hits(kept)
        case PaintRow(voice, start_tick, step_ticks, every, velocity):
            require_range("Every so many slots", every, 1, 64)
            return _written(pattern, voice, _slots(pattern, start_tick, step_ticks * every), velocity)
        case SpreadRow(voice, start_tick, step_ticks, count, slots, turned, velocity):
            check_voice(voice)
            slot_ticks = _slots(pattern, start_tick, step_ticks)
            chosen = set(spread(count, slots, turned))
            spread_ticks = [tick for number, tick in enumerate(slot_ticks) if number % slots in chosen]
            cleared = [hit for hit in pattern.hits if hit.voice != voice or hit.tick < start_tick]
            return pattern.with_hits((*cleared, *(Hit(voice, tick, velocity) for tick in spread_ticks)))
        case ThinRow(voice, percent, seed):
            require_range("The share to leave", percent, 0, 100, "%")
            row = _needs_hits(pattern, voice)
            chance = uniform(seed, f"thin {voice}", np.array([hit.tick for hit in row]))
            count = round(len(row) * percent / 100)
            left = {row[place].tick for place in np.argsort(chance, kind="stable")[:count].tolist()}
            return pattern.with_hits(hit for hit in pattern.hits if hit.voice != voice or hit.tick in left)
        case CopyRow(voice, to_voice, shift_ticks):
            if to_voice == voice and not shift_ticks:
                raise EditRefusedError("A row copied onto itself is the same row: choose another voice, or shift it.")
            copies = [
                replace(hit, voice=check_voice(to_voice), tick=(hit.tick + shift_ticks) % pattern.length_ticks)
                for hit in _needs_hits(pattern, voice)
            ]
            free = [copy for copy in copies if (to_voice, copy.tick) not in pattern.by_place]
            if not free:
                raise EditRefusedError(f"{ROLES[to_voice].name} has a hit on each of these places already.")
            return pattern.with_hits((*pattern.hits, *free))
        case TurnRow(voice, how, step_ticks):
            return _turned(pattern, voice, how, step_ticks)


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


def describe_row_edit(edit: RowEdit) -> str:
    """What the edit does, in words for the undo list."""
    name = voice_name(edit.voice) if not isinstance(edit, RemoveHits) else ""
    match edit:
        case WriteHits(_, ticks, _):
            return f"paint {len(ticks)} {name} hits"
        case RemoveHits(places):
            names = {voice_name(voice) for voice, _ in places}
            whose = f" {names.pop()}" if len(names) == 1 else ""
            return f"wipe {len(places)}{whose} hit{'s' if len(places) != 1 else ''}"
        case PaintRow(_, _, _, every, _):
            return f"{name} on every slot" if every == 1 else f"{name} on every {every}. slot"
        case SpreadRow(_, _, _, hits, slots, turned, _):
            return f"{name} {hits} over {slots}" + (f", turned by {turned}" if turned else "")
        case ThinRow(_, percent, _):
            return f"thin {name} to {percent:g} %"
        case CopyRow(_, to_voice, _):
            return f"copy {name} to {voice_name(to_voice)}"
        case TurnRow(_, how, _):
            return f"{name} {'one slot ' if how in ('later', 'earlier') else ''}{how}"
