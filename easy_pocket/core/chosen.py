"""Edits of chosen hits, wherever they lie: set, dress, move, copy, turn, stretch, paste. Each is one move to undo."""

from __future__ import annotations

import zlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from easy_pocket.core.articulation import FIELDS, Articulation, articulation_words, changed
from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.pattern import MAX_OFFSET_MS, Hit, Pattern
from easy_pocket.core.timebase import place_name
from easy_pocket.core.voices import check_voice, voice_name

Place = tuple[str, int]
MAX_CHOSEN = 30_000
# What the detail strip sets hit by hit: field, lowest, highest, unit.
VALUE_RANGES: dict[str, tuple[float, float, str]] = {
    "velocity": (1, 127, ""),
    "offset_ms": (-MAX_OFFSET_MS, MAX_OFFSET_MS, "ms"),
    "tune_cents": (-2400, 2400, "cents"),
    "pan": (-1, 1, ""),
    "strokes": (1, 8, ""),
    "odds_percent": (1, 100, "%"),
}
VALUE_NAMES = {
    "velocity": "velocity", "offset_ms": "timing", "tune_cents": "tune", "pan": "pan", "strokes": "ratchet",
    "odds_percent": "odds",
}  # fmt: skip


@dataclass(frozen=True)
class SetValues:
    """One value for each of these hits. step_ticks: the slot a ratchet fills."""

    field: str
    values: tuple[tuple[str, int, float], ...]
    step_ticks: int = 240


@dataclass(frozen=True)
class Dress:
    """The same articulation fields for all of these hits: {"ornament": "flam"}, {"locked": True}, ..."""

    places: tuple[Place, ...]
    values: tuple[tuple[str, Any], ...]


@dataclass(frozen=True)
class MoveHits:
    """Hits to other places and voices, as (voice, tick, to voice, to tick), or copies of them. A hit that lies where
    one arrives makes way."""

    moves: tuple[tuple[str, int, str, int], ...]
    copy: bool = False


@dataclass(frozen=True)
class PasteHits:
    """Hits put down with the first at `tick`; what reaches past the end is left out. What lies there makes way."""

    hits: tuple[Hit, ...]
    tick: int


@dataclass(frozen=True)
class NudgeHits:
    """Each hit's own offset by so many ms."""

    places: tuple[Place, ...]
    by_ms: float


@dataclass(frozen=True)
class TurnHits:
    """Turn chosen hits round within the span they take: "reverse", "mirror" (rows upside down), "later" or "earlier"
    by a slot, round the span's ends."""

    places: tuple[Place, ...]
    how: str
    step_ticks: int
    start_tick: int
    end_tick: int


@dataclass(frozen=True)
class StretchHits:
    """Spread chosen hits to twice their distances from start_tick (factor 2), or draw them to half (0.5)."""

    places: tuple[Place, ...]
    factor: float
    start_tick: int


ChosenEdit = SetValues | Dress | MoveHits | PasteHits | NudgeHits | TurnHits | StretchHits


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
    """The hit with one value of the detail strip."""
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
    if field in ("velocity", "offset_ms"):
        return float(getattr(hit, field))
    if field == "strokes":
        return float(hit.articulation.strokes) if _rolls(hit) else 1.0
    return float(getattr(hit.articulation, field))


def apply_chosen_edit(pattern: Pattern, edit: ChosenEdit) -> Pattern:
    """The pattern after the edit. Raises EditRefusedError or BadValueError and changes nothing."""
    match edit:
        case SetValues(field, values, step_ticks):
            old = _find(pattern, ((voice, tick) for voice, tick, _ in values))
            wanted = {(voice, tick): value for voice, tick, value in values}
            return _exchanged(
                pattern, old, (with_value(hit, field, wanted[hit.voice, hit.tick], step_ticks) for hit in old)
            )
        case Dress(places, pairs):
            dress = dict(pairs)
            if not set(dress) <= set(FIELDS):
                raise BadValueError(f"'{sorted(set(dress) - set(FIELDS))[0][:30]}' is nothing a hit can have.")
            old = _find(pattern, places)
            return _exchanged(
                pattern, old, (replace(hit, articulation=changed(hit.articulation, **dress)) for hit in old)
            )
        case MoveHits(moves, copy):
            old = _find(pattern, ((voice, tick) for voice, tick, _, _ in moves))
            targets = {(voice, tick): (to_voice, to_tick) for voice, tick, to_voice, to_tick in moves}
            moved = []
            for hit in old:
                to_voice, to_tick = targets[hit.voice, hit.tick]
                moved.append(replace(hit, voice=check_voice(to_voice), tick=to_tick))
            _within(pattern, moved)
            return _exchanged(pattern, [] if copy else old, moved)
        case PasteHits(hits, tick):
            require_range("The place to paste at", tick, 0, pattern.length_ticks - 1, "ticks")
            require_range("The number of hits pasted", len(hits), 1, MAX_CHOSEN)
            first = min(hit.tick for hit in hits)
            moved = [replace(hit, voice=check_voice(hit.voice), tick=hit.tick - first + tick) for hit in hits]
            inside = [hit for hit in moved if hit.tick < pattern.length_ticks]
            return _exchanged(pattern, [], inside)
        case NudgeHits(places, by_ms):
            require_range("The nudge", by_ms, -MAX_OFFSET_MS, MAX_OFFSET_MS, "ms")
            old = _find(pattern, places)
            for hit in old:
                if abs(hit.offset_ms + by_ms) > MAX_OFFSET_MS:
                    raise EditRefusedError(
                        f"{voice_name(hit.voice).capitalize()} at {place_name(hit.tick, pattern.metre)} would be "
                        f"{hit.offset_ms + by_ms:+.0f} ms off its place; at most {MAX_OFFSET_MS:g} ms are possible: "
                        "move it by a slot instead."
                    )
            return _exchanged(pattern, old, (replace(hit, offset_ms=hit.offset_ms + by_ms) for hit in old))
        case TurnHits():
            return _turned(pattern, edit)
        case StretchHits(places, factor, start_tick):
            require_range("The stretch", factor, 0.25, 4)
            old = _find(pattern, places)
            stretched = [replace(hit, tick=start_tick + round((hit.tick - start_tick) * factor)) for hit in old]
            _within(pattern, stretched)
            return _exchanged(pattern, old, _no_two(stretched, pattern))


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
    """The same places struck as they were, the sounds dealt out anew; which order comes of the one there is, so that
    every shuffle is another."""
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


def describe_chosen_edit(edit: ChosenEdit) -> str:
    """What the edit does, in words for the undo list."""
    match edit:
        case SetValues(field, values, _):
            return f"{VALUE_NAMES.get(field, field)} of {_count(len(values))}"
        case Dress(places, pairs):
            return f"{_dress_words(dict(pairs))}: {_count(len(places))}"
        case MoveHits(moves, copy):
            return f"{'copy' if copy else 'move'} {_count(len(moves))}"
        case PasteHits(hits, _):
            return f"paste {_count(len(hits))}"
        case NudgeHits(places, by_ms):
            return f"{_count(len(places))} {abs(by_ms):g} ms {'later' if by_ms > 0 else 'earlier'}"
        case TurnHits(places, how):
            return f"{how} {_count(len(places))}"
        case StretchHits(places, factor, _):
            return f"stretch {_count(len(places))} to {'twice' if factor > 1 else 'half'} the distance"


def _dress_words(values: dict[str, Any]) -> str:
    if "ornament" in values and not values["ornament"]:
        return "plain hits"
    try:
        words = articulation_words(Articulation(**values))
    except (BadValueError, TypeError):
        words = ""
    return words or ", ".join(f"{name.replace('_', ' ')} {value}" for name, value in values.items())


def _count(number: int) -> str:
    return f"{number} hit{'s' if number != 1 else ''}"
