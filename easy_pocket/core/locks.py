"""Locks: hits, whole voices, or a place in every bar that edits leave alone, and say why."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from easy_pocket.core.articulation import changed
from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern import Hit, Pattern
from easy_pocket.core.timebase import place_name
from easy_pocket.core.voices import check_voice, voice_name


@dataclass(frozen=True)
class LockHits:
    """Lock these hits, or free them."""

    places: tuple[tuple[str, int], ...]
    locked: bool


@dataclass(frozen=True)
class LockVoice:
    """Lock a whole row, written or not, or free it."""

    voice: str
    locked: bool


@dataclass(frozen=True)
class LockPlace:
    """Lock the place in every bar that `tick` lies on, on all rows, or free it."""

    tick: int
    locked: bool


LockEdit = LockHits | LockVoice | LockPlace


def apply_lock(pattern: Pattern, edit: LockEdit) -> Pattern:
    """Raises EditRefusedError when a hit is gone."""
    match edit:
        case LockHits(places, locked):
            wanted = set(places)
            if not wanted <= set(pattern.by_place):
                raise EditRefusedError("One of these hits is gone; this is the pattern as it is now.")
            return pattern.with_hits(
                replace(hit, articulation=changed(hit.articulation, locked=locked))
                if (hit.voice, hit.tick) in wanted
                else hit
                for hit in pattern.hits
            )
        case LockVoice(voice, locked):
            voices = pattern.locked_voices | {check_voice(voice)} if locked else pattern.locked_voices - {voice}
            return replace(pattern, locked_voices=voices)
        case LockPlace(tick, locked):
            inside = {tick % pattern.metre.bar_ticks}
            places_now = pattern.locked_places | inside if locked else pattern.locked_places - inside
            return replace(pattern, locked_places=places_now)


def describe_lock(edit: LockEdit, pattern: Pattern) -> str:
    what = "lock" if edit.locked else "free"
    match edit:
        case LockHits(places, _):
            return f"{what} {len(places)} hit{'s' if len(places) != 1 else ''}"
        case LockVoice(voice, _):
            return f"{what} the row of {voice_name(voice)}"
        case LockPlace(tick, _):
            return f"{what} beat {_beat(tick, pattern)} in every bar"


def _beat(tick: int, pattern: Pattern) -> str:
    return place_name(tick % pattern.metre.bar_ticks, pattern.metre).partition(".")[2]


def lock_reason(pattern: Pattern, hit: Hit) -> str:
    """Why a hit may not change, in words; empty when it may."""
    if hit.articulation.locked:
        return f"{voice_name(hit.voice)} at {place_name(hit.tick, pattern.metre)} is locked"
    if hit.voice in pattern.locked_voices:
        return f"the row of {voice_name(hit.voice)} is locked"
    if pattern.locked_places and hit.tick % pattern.metre.bar_ticks in pattern.locked_places:
        return f"beat {_beat(hit.tick, pattern)} is locked in every bar"
    return ""


def keep_locks(before: Pattern, after: Pattern) -> Pattern:
    """`after`, when it changes nothing that is locked in `before`; else EditRefusedError with the reason."""
    nothing_locked = not before.locked_voices and not before.locked_places
    if nothing_locked and not any(articulation.locked for _, articulation in before.arrays.decorated):
        return after
    gone, come = before.differences(after)
    for hit in _in_order([*gone, *come]):
        # A hit that comes with a lock of its own (a copy of a locked one) is not what the lock is about.
        reason = lock_reason(before, hit) if hit in gone or not hit.articulation.locked else ""
        if reason:
            raise EditRefusedError(f"{reason[0].upper()}{reason[1:]}: free it first (l), or leave it as it is.")
    return after


def _in_order(hits: Iterable[Hit]) -> list[Hit]:
    return sorted(hits, key=lambda hit: (hit.tick, hit.voice))
