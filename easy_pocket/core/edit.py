"""Edits: each is a small value; `apply_edit(pattern, edit)` gives the pattern after it.

An edit that names a hit that is not there is refused (EditRefusedError), never guessed at: the caller then shows
the pattern as it is now.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.pattern import MAX_OFFSET_MS, Hit, Pattern
from easy_pocket.core.rows import RowEdit, apply_row_edit, describe_row_edit
from easy_pocket.core.timebase import MAX_BARS, place_name
from easy_pocket.core.voices import ROLES, check_voice


@dataclass(frozen=True)
class WriteHit:
    voice: str
    tick: int
    velocity: int = 96


@dataclass(frozen=True)
class RemoveHit:
    voice: str
    tick: int


@dataclass(frozen=True)
class MoveHit:
    """Move a hit to another place, another voice, or both; its velocity and own offset go with it."""

    voice: str
    tick: int
    to_voice: str
    to_tick: int


@dataclass(frozen=True)
class SetVelocity:
    voice: str
    tick: int
    velocity: int


@dataclass(frozen=True)
class SetOffset:
    """Set a hit's own offset in ms, negative = early."""

    voice: str
    tick: int
    offset_ms: float


@dataclass(frozen=True)
class SetAlternate:
    """Let a hit sound with an alternate sound of its voice, 1-4; 0 is the voice's own."""

    voice: str
    tick: int
    alternate: int


@dataclass(frozen=True)
class SetLength:
    """Give the pattern so many bars. Doubling copies what is there; shortening refuses to drop hits silently."""

    bars: int


Edit = WriteHit | RemoveHit | MoveHit | SetVelocity | SetOffset | SetAlternate | SetLength | RowEdit


def _find(pattern: Pattern, voice: str, tick: int) -> Hit:
    hit = pattern.by_place.get((voice, tick))
    if hit is None:
        where = place_name(tick, pattern.metre)
        raise EditRefusedError(f"There is no {_name(voice)} hit at {where} any more; this is the pattern as it is now.")
    return hit


def _name(voice: str) -> str:
    return ROLES[voice].name.lower() if voice in ROLES else voice


def _replace(pattern: Pattern, old: Hit, new: Hit | None) -> Pattern:
    kept = (hit for hit in pattern.hits if hit is not old)
    return pattern.with_hits(kept if new is None else (*kept, new))


def apply_edit(pattern: Pattern, edit: Edit) -> Pattern:
    """The pattern after the edit. Raises EditRefusedError or BadValueError and changes nothing."""
    match edit:
        case WriteHit(voice, tick, velocity):
            check_voice(voice)
            if (voice, tick) in pattern.by_place:
                where = place_name(tick, pattern.metre)
                raise EditRefusedError(f"{_name(voice).capitalize()} already has a hit at {where}.")
            return pattern.with_hits((*pattern.hits, Hit(voice, tick, velocity)))
        case RemoveHit(voice, tick):
            return _replace(pattern, _find(pattern, voice, tick), None)
        case MoveHit(voice, tick, to_voice, to_tick):
            hit = _find(pattern, voice, tick)
            check_voice(to_voice)
            if (to_voice, to_tick) in pattern.by_place and (to_voice, to_tick) != (voice, tick):
                where = place_name(to_tick, pattern.metre)
                raise EditRefusedError(f"{_name(to_voice).capitalize()} already has a hit at {where}; remove it first.")
            return _replace(pattern, hit, replace(hit, voice=to_voice, tick=to_tick))
        case SetVelocity(voice, tick, velocity):
            require_range("The velocity", velocity, 1, 127)
            hit = _find(pattern, voice, tick)
            return _replace(pattern, hit, replace(hit, velocity=velocity))
        case SetOffset(voice, tick, offset_ms):
            require_range("The hit's own offset", offset_ms, -MAX_OFFSET_MS, MAX_OFFSET_MS, "ms")
            hit = _find(pattern, voice, tick)
            return _replace(pattern, hit, replace(hit, offset_ms=float(offset_ms)))
        case SetAlternate(voice, tick, alternate):
            hit = _find(pattern, voice, tick)
            return _replace(pattern, hit, replace(hit, alternate=alternate))
        case SetLength(bars):
            return _set_length(pattern, bars)
        case _:
            return apply_row_edit(pattern, edit)


def _set_length(pattern: Pattern, bars: int) -> Pattern:
    require_range("The length", bars, 1, MAX_BARS, "bars")
    length_ticks = bars * pattern.metre.bar_ticks
    if length_ticks < pattern.length_ticks:
        lost = sum(hit.tick >= length_ticks for hit in pattern.hits)
        if lost and not _repeats(pattern, length_ticks):
            raise EditRefusedError(
                f"{lost} hits lie after bar {bars} and differ from the bars before: "
                "remove them first, or keep the length."
            )
        return Pattern(length_ticks, tuple(hit for hit in pattern.hits if hit.tick < length_ticks), pattern.metre)
    copies = range(0, length_ticks, pattern.length_ticks)
    hits = (replace(hit, tick=hit.tick + start) for start in copies for hit in pattern.hits)
    return Pattern(length_ticks, tuple(hit for hit in hits if hit.tick < length_ticks), pattern.metre)


def _repeats(pattern: Pattern, length_ticks: int) -> bool:
    """Whether what lies behind `length_ticks` only repeats what lies before it, so that nothing is lost."""
    folded = {replace(hit, tick=hit.tick % length_ticks) for hit in pattern.hits if hit.tick >= length_ticks}
    return folded <= set(pattern.hits)


def describe_edit(edit: Edit, pattern: Pattern) -> str:
    """What the edit does, in words for the undo list."""
    match edit:
        case WriteHit(voice, tick, _):
            return f"write {_name(voice)} at {place_name(tick, pattern.metre)}"
        case RemoveHit(voice, tick):
            return f"remove {_name(voice)} at {place_name(tick, pattern.metre)}"
        case MoveHit(voice, tick, to_voice, to_tick):
            there = place_name(to_tick, pattern.metre)
            target = there if to_voice == voice else f"{_name(to_voice)} {there}"
            return f"move {_name(voice)} {place_name(tick, pattern.metre)} to {target}"
        case SetVelocity(voice, tick, velocity):
            return f"{_name(voice)} {place_name(tick, pattern.metre)} to velocity {velocity}"
        case SetOffset(voice, tick, offset_ms):
            return f"{_name(voice)} {place_name(tick, pattern.metre)} to {offset_ms:+.1f} ms"
        case SetAlternate(voice, tick, alternate):
            sound = f"alternate sound {alternate}" if alternate else "its own sound"
            return f"{_name(voice)} {place_name(tick, pattern.metre)} with {sound}"
        case SetLength(bars):
            return f"length {bars} bar{'s' if bars != 1 else ''}"
        case _:
            return describe_row_edit(edit)
