"""Locks: hits, whole voices, or a place in every bar that edits leave alone, and say why."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.articulation import changed
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.pattern_edit import PatternEdit, Places, Tick, Voice
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.core.pattern.voices import check_voice, voice_name


@dataclass(frozen=True)
class LockHits(PatternEdit, kind="lock_hits"):
    """Lock these hits, or free them."""

    places: Places
    locked: bool
    minds_locks = False

    def applied(self, pattern: Pattern) -> Pattern:
        wanted = set(self.places)
        if not wanted <= set(pattern.by_place):
            raise EditRefusedError("One of these hits is gone; this is the pattern as it is now.")
        return pattern.with_hits(
            replace(hit, articulation=changed(hit.articulation, locked=self.locked))
            if (hit.voice, hit.tick) in wanted
            else hit
            for hit in pattern.hits
        )

    def description(self, pattern: Pattern) -> str:
        return f"{_verb(self.locked)} {len(self.places)} hit{'s' if len(self.places) != 1 else ''}"


@dataclass(frozen=True)
class LockVoice(PatternEdit, kind="lock_voice"):
    """Lock a whole row, written or not, or free it."""

    voice: Voice
    locked: bool
    minds_locks = False

    def applied(self, pattern: Pattern) -> Pattern:
        mine = {check_voice(self.voice)}
        return replace(
            pattern, locked_voices=pattern.locked_voices | mine if self.locked else pattern.locked_voices - mine
        )

    def description(self, pattern: Pattern) -> str:
        return f"{_verb(self.locked)} the row of {voice_name(self.voice)}"


@dataclass(frozen=True)
class LockPlace(PatternEdit, kind="lock_place"):
    """Lock the place in every bar that `tick` lies on, on all rows, or free it."""

    tick: Tick
    locked: bool
    minds_locks = False

    def applied(self, pattern: Pattern) -> Pattern:
        inside = {self.tick % pattern.metre.bar_ticks}
        return replace(
            pattern, locked_places=pattern.locked_places | inside if self.locked else pattern.locked_places - inside
        )

    def description(self, pattern: Pattern) -> str:
        return f"{_verb(self.locked)} beat {_beat(self.tick, pattern)} in every bar"


def _verb(locked: bool) -> str:
    return "lock" if locked else "free"


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
    if nothing_locked and not any(articulation.locked for _, articulation in before.arrays.articulated):
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
