"""Edits: each is a small value; `apply_edit(pattern, edit)` gives the pattern after it.

An edit that names a hit that is not there is refused (EditRefusedError), never guessed at: the caller then shows
the pattern as it is now.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from easy_pocket.core.chosen import ChosenEdit, apply_chosen_edit, describe_chosen_edit
from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.lengths import Break, LengthEdit, apply_length_edit, describe_length_edit
from easy_pocket.core.locks import LockEdit, apply_lock, describe_lock, keep_locks
from easy_pocket.core.pattern import MAX_OFFSET_MS, Hit, Pattern
from easy_pocket.core.put_line import PutLine, apply_put_line
from easy_pocket.core.rows import RowEdit, apply_row_edit, describe_row_edit
from easy_pocket.core.shapes import Shape, describe_shape, shaped
from easy_pocket.core.tighten import StraightAgain, apply_straight_again
from easy_pocket.core.timebase import place_name
from easy_pocket.core.voices import check_voice, voice_name


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


HitEdit = WriteHit | RemoveHit | MoveHit | SetVelocity | SetOffset | SetAlternate
Edit = HitEdit | RowEdit | ChosenEdit | Shape | LengthEdit | LockEdit | PutLine | StraightAgain


def _find(pattern: Pattern, voice: str, tick: int) -> Hit:
    hit = pattern.at(voice, tick)
    if hit is None:
        where = place_name(tick, pattern.metre)
        raise EditRefusedError(
            f"There is no {voice_name(voice)} hit at {where} any more; this is the pattern as it is now."
        )
    return hit


def _replace(pattern: Pattern, old: Hit, new: Hit | None) -> Pattern:
    return pattern.exchanged([old], [] if new is None else [new])


def apply_edit(pattern: Pattern, edit: Edit) -> Pattern:
    """The pattern after the edit. Raises EditRefusedError (for what is locked, too) or BadValueError and changes
    nothing."""
    if isinstance(edit, LockEdit):
        return apply_lock(pattern, edit)
    if isinstance(edit, HitEdit):
        after = _apply_hit_edit(pattern, edit)
    elif isinstance(edit, Shape):
        after = apply_chosen_edit(pattern, shaped(pattern, edit))
    elif isinstance(edit, ChosenEdit):
        after = apply_chosen_edit(pattern, edit)
    elif isinstance(edit, PutLine):
        after = apply_put_line(pattern, edit)
    elif isinstance(edit, StraightAgain):
        after = apply_straight_again(pattern, edit)
    elif isinstance(edit, LengthEdit):
        return (
            apply_length_edit(pattern, edit)
            if not isinstance(edit, Break)
            else keep_locks(pattern, apply_length_edit(pattern, edit))
        )
    else:
        after = apply_row_edit(pattern, edit)
    return keep_locks(pattern, after)


def _apply_hit_edit(pattern: Pattern, edit: HitEdit) -> Pattern:
    match edit:
        case WriteHit(voice, tick, velocity):
            check_voice(voice)
            if pattern.at(voice, tick):
                where = place_name(tick, pattern.metre)
                raise EditRefusedError(f"{voice_name(voice).capitalize()} already has a hit at {where}.")
            return pattern.exchanged([], [Hit(voice, tick, velocity)])
        case RemoveHit(voice, tick):
            return _replace(pattern, _find(pattern, voice, tick), None)
        case MoveHit(voice, tick, to_voice, to_tick):
            hit = _find(pattern, voice, tick)
            check_voice(to_voice)
            if pattern.at(to_voice, to_tick) and (to_voice, to_tick) != (voice, tick):
                where = place_name(to_tick, pattern.metre)
                raise EditRefusedError(
                    f"{voice_name(to_voice).capitalize()} already has a hit at {where}; remove it first."
                )
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


def describe_edit(edit: Edit, pattern: Pattern) -> str:
    """What the edit does, in words for the undo list."""
    if isinstance(edit, LockEdit):
        return describe_lock(edit, pattern)
    if isinstance(edit, Shape):
        return describe_shape(edit)
    if isinstance(edit, ChosenEdit):
        return describe_chosen_edit(edit)
    if isinstance(edit, LengthEdit):
        return describe_length_edit(edit, pattern)
    if isinstance(edit, PutLine):
        return f"line {edit.name}"
    if isinstance(edit, StraightAgain):
        return f"{len(edit.places) or 'all'} hits straight again"
    if isinstance(edit, RowEdit):
        return describe_row_edit(edit)
    match edit:
        case WriteHit(voice, tick, _):
            return f"write {voice_name(voice)} at {place_name(tick, pattern.metre)}"
        case RemoveHit(voice, tick):
            return f"remove {voice_name(voice)} at {place_name(tick, pattern.metre)}"
        case MoveHit(voice, tick, to_voice, to_tick):
            there = place_name(to_tick, pattern.metre)
            target = there if to_voice == voice else f"{voice_name(to_voice)} {there}"
            return f"move {voice_name(voice)} {place_name(tick, pattern.metre)} to {target}"
        case SetVelocity(voice, tick, velocity):
            return f"{voice_name(voice)} {place_name(tick, pattern.metre)} to velocity {velocity}"
        case SetOffset(voice, tick, offset_ms):
            return f"{voice_name(voice)} {place_name(tick, pattern.metre)} to {offset_ms:+.1f} ms"
        case SetAlternate(voice, tick, alternate):
            sound = f"alternate sound {alternate}" if alternate else "its own sound"
            return f"{voice_name(voice)} {place_name(tick, pattern.metre)} with {sound}"
