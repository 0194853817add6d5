"""Edits of a pattern's length: bars added, dropped, halved, typed; and the whole written at another speed."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

from annotated_types import Ge, Le, MaxLen

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.pattern_edit import Count, Number, PatternEdit, Voice
from easy_pocket.core.pattern.timebase import MAX_BARS, place_name
from easy_pocket.core.pattern.voices import check_voice, voice_name


@dataclass(frozen=True)
class SetLength(PatternEdit, kind="length"):
    """Give the pattern so many bars. Doubling copies what is there; shortening refuses to drop hits silently."""

    bars: Count
    minds_locks = False

    def applied(self, pattern: Pattern) -> Pattern:
        return _set_bars(pattern, self.bars)

    def description(self, pattern: Pattern) -> str:
        return f"length {_bars(self.bars)}"


@dataclass(frozen=True)
class SetLengthTicks(PatternEdit, kind="length_ticks"):
    """A length of any number of ticks; what lies behind it goes, what is new is empty."""

    length_ticks: Annotated[int, Ge(-4_000_000), Le(4_000_000)]
    minds_locks = False

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("The length", self.length_ticks, 10, MAX_BARS * 3840, "ticks")
        kept = tuple(hit for hit in pattern.hits if hit.tick < self.length_ticks)
        return replace(pattern, length_ticks=self.length_ticks, hits=kept)

    def description(self, pattern: Pattern) -> str:
        return f"length {self.length_ticks / pattern.metre.bar_ticks:.3g} bars"


@dataclass(frozen=True)
class DropBars(PatternEdit, kind="drop_bars"):
    """Take bars out, with what is written there; from_bar counts from 1."""

    from_bar: Count
    bars: Count
    minds_locks = False

    def applied(self, pattern: Pattern) -> Pattern:
        begin, end = _span(pattern, self.from_bar, self.bars)
        if end - begin >= pattern.length_ticks:
            raise EditRefusedError("A pattern needs at least one bar: remove the hits instead.")
        hits = tuple(
            replace(hit, tick=hit.tick - (end - begin)) if hit.tick >= end else hit
            for hit in pattern.hits
            if not begin <= hit.tick < end
        )
        return replace(pattern, length_ticks=pattern.length_ticks - (end - begin), hits=hits)

    def description(self, pattern: Pattern) -> str:
        return f"drop {_range(self.from_bar, self.bars)}"


@dataclass(frozen=True)
class AddBars(PatternEdit, kind="add_bars"):
    """Put bars in before from_bar (one past the last: at the end), empty or as copies of the bars before them."""

    from_bar: Count
    bars: Count
    copies: bool = False
    minds_locks = False

    def applied(self, pattern: Pattern) -> Pattern:
        bar = pattern.metre.bar_ticks
        require_range("Bars to add", self.bars, 1, MAX_BARS)
        require_range("The bar to add them before", self.from_bar, 1, pattern.bars + 1)
        at, added = min((self.from_bar - 1) * bar, pattern.length_ticks), self.bars * bar
        require_range("The length", pattern.length_ticks + added, 1, MAX_BARS * 3840, "ticks")
        moved = [replace(hit, tick=hit.tick + added) if hit.tick >= at else hit for hit in pattern.hits]
        source = range(max(0, at - added), at) if self.copies else range(0)
        come = [replace(hit, tick=hit.tick + added) for hit in pattern.hits if hit.tick in source]
        come = [hit for hit in come if at <= hit.tick < at + added]
        return replace(pattern, length_ticks=pattern.length_ticks + added, hits=(*moved, *come))

    def description(self, pattern: Pattern) -> str:
        return f"{'copy' if self.copies else 'add'} {_bars(self.bars)} before bar {self.from_bar}"


@dataclass(frozen=True)
class ChangeSpeed(PatternEdit, kind="speed"):
    """The whole pattern over twice its length (factor 2), or half of it (0.5)."""

    factor: Number
    minds_locks = False

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("The speed", self.factor, 0.25, 4)
        length_ticks = max(1, round(pattern.length_ticks * self.factor))
        return replace(pattern, length_ticks=length_ticks, hits=_at_speed(pattern, self.factor))

    def description(self, pattern: Pattern) -> str:
        return "the pattern at half speed" if self.factor > 1 else "the pattern at double speed"


@dataclass(frozen=True)
class Break(PatternEdit, kind="break"):
    """In these bars only these voices go on; the rest falls silent there."""

    from_bar: Count
    bars: Count
    keep: Annotated[tuple[Voice, ...], MaxLen(64)]

    def applied(self, pattern: Pattern) -> Pattern:
        begin, end = _span(pattern, self.from_bar, self.bars)
        if not self.keep:
            raise EditRefusedError("Choose first what goes on in the break: solo its rows, or choose hits of them.")
        kept = {check_voice(voice) for voice in self.keep}
        left = tuple(hit for hit in pattern.hits if hit.voice in kept or not begin <= hit.tick < end)
        if len(left) == len(pattern.hits):
            raise EditRefusedError("Nothing but the voices you keep sounds in these bars already.")
        return replace(pattern, hits=left)

    def description(self, pattern: Pattern) -> str:
        voices = f"{len(self.keep)} voice{'s go' if len(self.keep) != 1 else ' goes'} on"
        return f"break in {_range(self.from_bar, self.bars)}, {voices}"


def _span(pattern: Pattern, from_bar: int, bars: int) -> tuple[int, int]:
    require_range("The first bar", from_bar, 1, pattern.bars)
    require_range("The number of bars", bars, 1, pattern.bars - from_bar + 1)
    bar = pattern.metre.bar_ticks
    return (from_bar - 1) * bar, min((from_bar - 1 + bars) * bar, pattern.length_ticks)


def _at_speed(pattern: Pattern, factor: float) -> tuple[Hit, ...]:
    seen: set[tuple[str, int]] = set()
    hits = []
    for hit in pattern.hits:
        tick = round(hit.tick * factor)
        if (hit.voice, tick) in seen:
            where = place_name(hit.tick, pattern.metre)
            raise EditRefusedError(
                f"{voice_name(hit.voice).capitalize()} at {where} would fall on the hit before it: remove one first."
            )
        seen.add((hit.voice, tick))
        span = max(10, round(hit.articulation.span_ticks * factor)) if hit.articulation.span_ticks else 0
        articulated = replace(hit.articulation, span_ticks=span) if span else hit.articulation
        hits.append(replace(hit, tick=tick, articulation=articulated))
    return tuple(hits)


def _set_bars(pattern: Pattern, bars: int) -> Pattern:
    require_range("The length", bars, 1, MAX_BARS, "bars")
    length_ticks = bars * pattern.metre.bar_ticks
    if length_ticks < pattern.length_ticks:
        lost = sum(hit.tick >= length_ticks for hit in pattern.hits)
        if lost and not _repeats(pattern, length_ticks):
            raise EditRefusedError(
                f"{lost} hits lie after bar {bars} and differ from the bars before: drop the bars (their hits go with "
                "them, undo brings them back), or keep the length."
            )
        return replace(pattern, length_ticks=length_ticks, hits=tuple(h for h in pattern.hits if h.tick < length_ticks))
    copies = range(0, length_ticks, pattern.length_ticks)
    hits = (hit if not start else replace(hit, tick=hit.tick + start) for start in copies for hit in pattern.hits)
    return replace(pattern, length_ticks=length_ticks, hits=tuple(hit for hit in hits if hit.tick < length_ticks))


def _repeats(pattern: Pattern, length_ticks: int) -> bool:
    """Whether what lies behind `length_ticks` only repeats what lies before it, so that nothing is lost."""
    folded = {replace(hit, tick=hit.tick % length_ticks) for hit in pattern.hits if hit.tick >= length_ticks}
    return folded <= set(pattern.hits)


def _bars(count: int) -> str:
    return f"{count} bar{'s' if count != 1 else ''}"


def _range(from_bar: int, bars: int) -> str:
    return f"bar {from_bar}" if bars == 1 else f"bars {from_bar}-{from_bar + bars - 1}"
