"""Edits of selected hits, wherever they lie: set, articulate, move, copy, reverse, stretch, paste.

Each is one step of undo.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Annotated, Any

import numpy as np
from annotated_types import MaxLen, MinLen

from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.pattern.articulation import FIELDS, Articulation, changed, describe_articulation
from easy_pocket.core.pattern.pattern import MAX_OFFSET_MS, Hit, Pattern
from easy_pocket.core.pattern.pattern_edit import (
    MAX_CHOSEN,
    AnyTick,
    Number,
    PatternEdit,
    Place,
    Places,
    Tick,
    Voice,
    Word,
)
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.core.pattern.voices import check_voice, voice_name

# What the detail strip sets hit by hit: field, lowest, highest, unit.
VALUE_RANGES: dict[str, tuple[float, float, str]] = {
    "velocity": (1, 127, ""),
    "offset_ms": (-MAX_OFFSET_MS, MAX_OFFSET_MS, "ms"),
    "tune_cents": (-2400, 2400, "cents"),
    "pan": (-1, 1, ""),
    "strokes": (1, 8, ""),
    "odds_percent": (1, 100, "%"),
    "room_percent": (0, 100, "%"),
}
VALUE_NAMES = {
    "velocity": "velocity", "offset_ms": "timing", "tune_cents": "tune", "pan": "pan", "strokes": "ratchet",
    "odds_percent": "odds", "room_percent": "room",
}  # fmt: skip


@dataclass(frozen=True)
class SetValues(PatternEdit, kind="values"):
    """One value for each of these hits. step_ticks: the slot a ratchet fills."""

    field: Word
    values: Annotated[tuple[tuple[Voice, Tick, Number], ...], MinLen(1), MaxLen(MAX_CHOSEN)]
    step_ticks: Tick = 240

    def applied(self, pattern: Pattern) -> Pattern:
        old = _find(pattern, ((voice, tick) for voice, tick, _ in self.values))
        wanted = {(voice, tick): value for voice, tick, value in self.values}
        new = (with_value(hit, self.field, wanted[hit.voice, hit.tick], self.step_ticks) for hit in old)
        return _exchanged(pattern, old, new)

    def description(self, pattern: Pattern) -> str:
        return f"{VALUE_NAMES.get(self.field, self.field)} of {_count(len(self.values))}"


@dataclass(frozen=True)
class SetArticulation(PatternEdit, kind="articulate"):
    """The same articulation fields for all of these hits: {"ornament": "flam"}, {"locked": True}, ..."""

    places: Places
    values: tuple[tuple[str, Any], ...]

    def applied(self, pattern: Pattern) -> Pattern:
        articulation = dict(self.values)
        if not set(articulation) <= set(FIELDS):
            raise BadValueError(f"'{sorted(set(articulation) - set(FIELDS))[0][:30]}' is nothing a hit can have.")
        old = _find(pattern, self.places)
        return _exchanged(
            pattern, old, (replace(hit, articulation=changed(hit.articulation, **articulation)) for hit in old)
        )

    def description(self, pattern: Pattern) -> str:
        return f"{_articulation_words(dict(self.values))}: {_count(len(self.places))}"


@dataclass(frozen=True)
class MoveHits(PatternEdit, kind="move_many"):
    """Hits to other places and voices, as (voice, tick, to voice, to tick), or copies of them.

    A hit that lies where one arrives makes way.
    """

    moves: Annotated[tuple[tuple[Voice, Tick, Voice, AnyTick], ...], MinLen(1), MaxLen(MAX_CHOSEN)]
    copies: bool = False

    def applied(self, pattern: Pattern) -> Pattern:
        old = _find(pattern, ((voice, tick) for voice, tick, _, _ in self.moves))
        targets = {(voice, tick): (to_voice, to_tick) for voice, tick, to_voice, to_tick in self.moves}
        moved = []
        for hit in old:
            to_voice, to_tick = targets[hit.voice, hit.tick]
            moved.append(replace(hit, voice=check_voice(to_voice), tick=to_tick))
        _within(pattern, moved)
        return _exchanged(pattern, [] if self.copies else old, moved)

    def description(self, pattern: Pattern) -> str:
        return f"{'copy' if self.copies else 'move'} {_count(len(self.moves))}"


@dataclass(frozen=True)
class PasteHits(PatternEdit, kind="paste"):
    """Hits put down with the first at `tick`; what reaches past the end is left out. What lies there makes way."""

    hits: tuple[Hit, ...]
    tick: Tick

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("The place to paste at", self.tick, 0, pattern.length_ticks - 1, "ticks")
        require_range("The number of hits pasted", len(self.hits), 1, MAX_CHOSEN)
        shift = self.tick - min(hit.tick for hit in self.hits)
        moved = [replace(hit, voice=check_voice(hit.voice), tick=hit.tick + shift) for hit in self.hits]
        return _exchanged(pattern, [], [hit for hit in moved if hit.tick < pattern.length_ticks])

    def description(self, pattern: Pattern) -> str:
        return f"paste {_count(len(self.hits))}"


@dataclass(frozen=True)
class NudgeHits(PatternEdit, kind="nudge"):
    """Each hit's own offset by so many ms."""

    places: Places
    by_ms: Number

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("The nudge", self.by_ms, -MAX_OFFSET_MS, MAX_OFFSET_MS, "ms")
        old = _find(pattern, self.places)
        for hit in old:
            if abs(hit.offset_ms + self.by_ms) > MAX_OFFSET_MS:
                raise EditRefusedError(
                    f"{voice_name(hit.voice).capitalize()} at {place_name(hit.tick, pattern.metre)} would be "
                    f"{hit.offset_ms + self.by_ms:+.0f} ms off its place; at most {MAX_OFFSET_MS:g} ms are possible: "
                    "move it by a slot instead."
                )
        return _exchanged(pattern, old, (replace(hit, offset_ms=hit.offset_ms + self.by_ms) for hit in old))

    def description(self, pattern: Pattern) -> str:
        return f"{_count(len(self.places))} {abs(self.by_ms):g} ms {'later' if self.by_ms > 0 else 'earlier'}"


@dataclass(frozen=True)
class TurnHits(PatternEdit, kind="turn"):
    """Turn chosen hits round within the span they take.

    "reverse", "mirror" (rows upside down), "later" or "earlier" by a slot, round the span's ends.
    """

    places: Places
    how: Word
    step_ticks: Tick
    start_tick: Tick
    end_tick: Tick

    def applied(self, pattern: Pattern) -> Pattern:
        return _turned(pattern, self)

    def description(self, pattern: Pattern) -> str:
        return f"{self.how} {_count(len(self.places))}"


@dataclass(frozen=True)
class StretchHits(PatternEdit, kind="stretch"):
    """Spread chosen hits to twice their distances from start_tick (factor 2), or draw them to half (0.5)."""

    places: Places
    factor: Number
    start_tick: Tick

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("The stretch", self.factor, 0.25, 4)
        old, start = _find(pattern, self.places), self.start_tick
        stretched = [replace(hit, tick=start + round((hit.tick - start) * self.factor)) for hit in old]
        _within(pattern, stretched)
        return _exchanged(pattern, old, _no_two(stretched, pattern))

    def description(self, pattern: Pattern) -> str:
        return f"stretch {_count(len(self.places))} to {'twice' if self.factor > 1 else 'half'} the distance"


def _find(pattern: Pattern, places: Iterable[Place]) -> list[Hit]:
    found = []
    for place in dict.fromkeys(places):
        hit = pattern.at(*place)
        if hit is None:
            where = place_name(place[1], pattern.metre)
            raise EditRefusedError(
                f"There is no {voice_name(place[0])} hit at {where} any more; this is the pattern as it is now."
            )
        found.append(hit)
    if not found:
        raise EditRefusedError("Nothing is chosen: draw a frame round some hits first.")
    require_range("The number of hits chosen", len(found), 1, MAX_CHOSEN)
    return found


def _exchanged(pattern: Pattern, old: list[Hit], new: Iterable[Hit]) -> Pattern:
    """New hits in the place of old ones; a hit that was not among them makes way for one that arrives."""
    come = {(hit.voice, hit.tick): hit for hit in new}
    gone = {id(hit): hit for hit in old}
    in_the_way = [hit for place in come if (hit := pattern.at(*place))]
    return pattern.exchanged({**gone, **{id(hit): hit for hit in in_the_way}}.values(), come.values())


def with_value(hit: Hit, field: str, value: float, step_ticks: int) -> Hit:
    """The hit with one value of the detail strip.

    Parameters
    ----------
    hit
        The hit as it was.
    field
        Name of the value, as the drawer has it.
    value
        The new value, in the unit of the field.
    step_ticks
        Length of a slot in ticks.

    Returns
    -------
    Hit
        The changed hit.
    """
    if field not in VALUE_RANGES:
        raise BadValueError(f"'{field[:20]}' is no value of a hit; there are {', '.join(VALUE_RANGES)}.")
    low, high, unit = VALUE_RANGES[field]
    require_range(f"The {VALUE_NAMES[field]}", value, low, high, unit)
    if field == "velocity":
        return replace(hit, velocity=round(value))
    if field == "offset_ms":
        return replace(hit, offset_ms=float(value))
    if field == "strokes":
        count = round(value)
        if count < 2:
            plain = {"ornament": "", "strokes": 0, "span_ticks": 0}
            return replace(hit, articulation=changed(hit.articulation, **plain)) if _rolls(hit) else hit
        span = hit.articulation.span_ticks if _rolls(hit) else step_ticks
        ratchet = {"ornament": "ratchet", "strokes": count, "span_ticks": span}
        return replace(hit, articulation=changed(hit.articulation, **ratchet))
    exact = float(value) if field == "pan" else round(value)
    return replace(hit, articulation=changed(hit.articulation, **{field: exact}))


def _rolls(hit: Hit) -> bool:
    return hit.articulation.ornament in ("ratchet", "roll")


def value_of(hit: Hit, field: str) -> float:
    """Give a value of a hit by the name of its field; a hit that is not rolled has one stroke."""
    if field in ("velocity", "offset_ms"):
        return float(getattr(hit, field))
    if field == "strokes":
        return float(hit.articulation.strokes) if _rolls(hit) else 1.0
    return float(getattr(hit.articulation, field))


def _within(pattern: Pattern, hits: list[Hit]) -> None:
    out = [hit for hit in hits if not 0 <= hit.tick < pattern.length_ticks]
    if out:
        raise EditRefusedError(
            f"{len(out)} of {len(hits)} hits would lie outside the pattern: lengthen it first, or move them less far."
        )


def _no_two(hits: list[Hit], pattern: Pattern) -> list[Hit]:
    seen: set[Place] = set()
    for hit in hits:
        if (hit.voice, hit.tick) in seen:
            raise EditRefusedError(
                f"Two {voice_name(hit.voice)} hits would fall on {place_name(hit.tick, pattern.metre)}: "
                "choose fewer hits, or remove one first."
            )
        seen.add((hit.voice, hit.tick))
    return hits


def _turned(pattern: Pattern, edit: TurnHits) -> Pattern:
    old = _find(pattern, edit.places)
    start, end, step = edit.start_tick, edit.end_tick, edit.step_ticks
    require_range("The span to turn", end - start, 1, pattern.length_ticks, "ticks")
    require_range("A slot", step, 1, end - start, "ticks")
    length = end - start
    last = (length - 1) // step * step
    moves: dict[str, Callable[[int], int]] = {
        "reverse": lambda tick: (last - tick) % length,
        "later": lambda tick: (tick + step) % length,
        "earlier": lambda tick: (tick - step) % length,
    }
    if edit.how == "mirror":
        rows = sorted({hit.voice for hit in old}, key=list(dict.fromkeys(v for v, _ in edit.places)).index)
        flipped = dict(zip(rows, reversed(rows), strict=True))
        return _exchanged(pattern, old, [replace(hit, voice=flipped[hit.voice]) for hit in old])
    if edit.how == "shuffle":
        return _exchanged(pattern, old, _shuffled(old))
    if edit.how not in moves:
        raise EditRefusedError(
            f"Hits can be turned by reverse, mirror, later, earlier, shuffle; '{edit.how[:20]}' is neither."
        )
    turned = [replace(hit, tick=start + moves[edit.how](hit.tick - start)) for hit in old]
    _within(pattern, turned)
    return _exchanged(pattern, old, turned)


SHUFFLES = 64  # orders tried until no two hits of a voice fall together


def _shuffled(hits: list[Hit]) -> list[Hit]:
    """The same places struck as they were, the sounds dealt out anew.

    Which order comes of the one there is, so that every shuffle is another.
    """
    order = sorted(hits, key=lambda hit: (hit.tick, hit.voice))
    named = "|".join(f"{hit.voice}:{hit.alternate}@{hit.tick}" for hit in order)
    dice = np.random.default_rng(zlib.crc32(named.encode()))
    sounds = [(hit.voice, hit.alternate) for hit in order]
    for _ in range(SHUFFLES):
        dealt = [sounds[index] for index in dice.permutation(len(order))]
        places = {(voice, hit.tick) for (voice, _), hit in zip(dealt, order, strict=True)}
        if len(places) == len(order) and dealt != sounds:
            return [
                replace(hit, voice=voice, alternate=alternate)
                for hit, (voice, alternate) in zip(order, dealt, strict=True)
            ]
    raise EditRefusedError("These hits cannot be dealt out otherwise: choose hits of more voices, or more places.")


def _articulation_words(values: dict[str, Any]) -> str:
    if "ornament" in values and not values["ornament"]:
        return "plain hits"
    try:
        words = describe_articulation(Articulation(**values))
    except (BadValueError, TypeError):
        words = ""
    return words or ", ".join(f"{name.replace('_', ' ')} {value}" for name, value in values.items())


def _count(number: int) -> str:
    return f"{number} hit{'s' if number != 1 else ''}"
