"""Edits of single hits.

One that names a hit that is not there is refused, never guessed at: the caller then shows the pattern as it is now.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.pattern.pattern import MAX_OFFSET_MS, Hit, Pattern
from easy_pocket.core.pattern.pattern_edit import Count, Number, PatternEdit, Tick, Voice
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.core.pattern.voices import check_voice, voice_name


@dataclass(frozen=True)
class WriteHit(PatternEdit, kind="write"):
    """A new hit; one that is there already gets the velocity."""

    voice: Voice
    tick: Tick
    velocity: Count = 96

    def applied(self, pattern: Pattern) -> Pattern:
        check_voice(self.voice)
        if pattern.at(self.voice, self.tick):
            where = place_name(self.tick, pattern.metre)
            raise EditRefusedError(f"{voice_name(self.voice).capitalize()} already has a hit at {where}.")
        return pattern.exchanged([], [Hit(self.voice, self.tick, self.velocity)])

    def description(self, pattern: Pattern) -> str:
        return f"write {_named(self.voice, self.tick, pattern, ' at ')}"


@dataclass(frozen=True)
class RemoveHit(PatternEdit, kind="remove"):
    """A hit goes."""

    voice: Voice
    tick: Tick

    def applied(self, pattern: Pattern) -> Pattern:
        return pattern.exchanged([_find(pattern, self.voice, self.tick)], [])

    def description(self, pattern: Pattern) -> str:
        return f"remove {_named(self.voice, self.tick, pattern, ' at ')}"


@dataclass(frozen=True)
class MoveHit(PatternEdit, kind="move"):
    """Move a hit to another place, another voice, or both; its velocity and own offset go with it."""

    voice: Voice
    tick: Tick
    to_voice: Voice
    to_tick: Tick

    def applied(self, pattern: Pattern) -> Pattern:
        hit = _find(pattern, self.voice, self.tick)
        check_voice(self.to_voice)
        if pattern.at(self.to_voice, self.to_tick) and (self.to_voice, self.to_tick) != (self.voice, self.tick):
            where = place_name(self.to_tick, pattern.metre)
            raise EditRefusedError(
                f"{voice_name(self.to_voice).capitalize()} already has a hit at {where}; remove it first."
            )
        return pattern.exchanged([hit], [replace(hit, voice=self.to_voice, tick=self.to_tick)])

    def description(self, pattern: Pattern) -> str:
        there = place_name(self.to_tick, pattern.metre)
        target = there if self.to_voice == self.voice else f"{voice_name(self.to_voice)} {there}"
        return f"move {_named(self.voice, self.tick, pattern)} to {target}"


@dataclass(frozen=True)
class SetVelocity(PatternEdit, kind="velocity"):
    """A hit gets another velocity, 1 to 127."""

    voice: Voice
    tick: Tick
    velocity: Count

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("The velocity", self.velocity, 1, 127)
        hit = _find(pattern, self.voice, self.tick)
        return pattern.exchanged([hit], [replace(hit, velocity=self.velocity)])

    def description(self, pattern: Pattern) -> str:
        return f"{_named(self.voice, self.tick, pattern)} to velocity {self.velocity}"


@dataclass(frozen=True)
class SetOffset(PatternEdit, kind="offset"):
    """Set a hit's own offset in ms, negative = early."""

    voice: Voice
    tick: Tick
    offset_ms: Number

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("The hit's own offset", self.offset_ms, -MAX_OFFSET_MS, MAX_OFFSET_MS, "ms")
        hit = _find(pattern, self.voice, self.tick)
        return pattern.exchanged([hit], [replace(hit, offset_ms=float(self.offset_ms))])

    def description(self, pattern: Pattern) -> str:
        return f"{_named(self.voice, self.tick, pattern)} to {self.offset_ms:+.1f} ms"


@dataclass(frozen=True)
class SetAlternate(PatternEdit, kind="alternate"):
    """Let a hit sound with an alternate sound of its voice, 1-4; 0 is the voice's own."""

    voice: Voice
    tick: Tick
    alternate: Count

    def applied(self, pattern: Pattern) -> Pattern:
        hit = _find(pattern, self.voice, self.tick)
        return pattern.exchanged([hit], [replace(hit, alternate=self.alternate)])

    def description(self, pattern: Pattern) -> str:
        sound = f"alternate sound {self.alternate}" if self.alternate else "its own sound"
        return f"{_named(self.voice, self.tick, pattern)} with {sound}"


def _find(pattern: Pattern, voice: str, tick: int) -> Hit:
    hit = pattern.at(voice, tick)
    if hit is None:
        where = place_name(tick, pattern.metre)
        raise EditRefusedError(
            f"There is no {voice_name(voice)} hit at {where} any more; this is the pattern as it is now."
        )
    return hit


def _named(voice: str, tick: int, pattern: Pattern, between: str = " ") -> str:
    return f"{voice_name(voice)}{between}{place_name(tick, pattern.metre)}"
