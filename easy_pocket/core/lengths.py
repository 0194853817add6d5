"""Edits of a pattern's length: bars added, dropped, halved, typed; and the whole written at another speed."""

from __future__ import annotations

from dataclasses import dataclass, replace

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.pattern import Hit, Pattern
from easy_pocket.core.timebase import MAX_BARS, place_name
from easy_pocket.core.voices import check_voice, voice_name


@dataclass(frozen=True)
class SetLength:
    """Give the pattern so many bars. Doubling copies what is there; shortening refuses to drop hits silently."""

    bars: int


@dataclass(frozen=True)
class SetLengthTicks:
    """A length of any number of ticks; what lies behind it goes, what is new is empty."""

    length_ticks: int


@dataclass(frozen=True)
class DropBars:
    """Take bars out, with what is written there; from_bar counts from 1."""

    from_bar: int
    bars: int


@dataclass(frozen=True)
class AddBars:
    """Put bars in before from_bar (one past the last: at the end), empty or as copies of the bars before them."""

    from_bar: int
    bars: int
    copy: bool = False


@dataclass(frozen=True)
class ChangeSpeed:
    """The whole pattern over twice its length (factor 2), or half of it (0.5)."""

    factor: float


@dataclass(frozen=True)
class Break:
    """In these bars only these voices go on; the rest falls silent there."""

    from_bar: int
    bars: int
    keep: tuple[str, ...]


LengthEdit = SetLength | SetLengthTicks | DropBars | AddBars | ChangeSpeed | Break


def apply_length_edit(pattern: Pattern, edit: LengthEdit) -> Pattern:
    """The pattern after the edit. Raises EditRefusedError or BadValueError and changes nothing."""
    bar = pattern.metre.bar_ticks
    match edit:
        case SetLength(bars):
            return _set_bars(pattern, bars)
        case SetLengthTicks(length_ticks):
            require_range("The length", length_ticks, 10, MAX_BARS * 3840, "ticks")
            return replace(
                pattern, length_ticks=length_ticks, hits=tuple(h for h in pattern.hits if h.tick < length_ticks)
            )
        case DropBars(from_bar, bars):
            begin, end = _span(pattern, from_bar, bars)
            if end - begin >= pattern.length_ticks:
                raise EditRefusedError("A pattern needs at least one bar: remove the hits instead.")
            hits = tuple(
                replace(hit, tick=hit.tick - (end - begin)) if hit.tick >= end else hit
                for hit in pattern.hits
                if not begin <= hit.tick < end
            )
            return replace(pattern, length_ticks=pattern.length_ticks - (end - begin), hits=hits)
        case AddBars(from_bar, bars, copy):
            require_range("Bars to add", bars, 1, MAX_BARS)
            require_range("The bar to add them before", from_bar, 1, pattern.bars + 1)
            at, added = min((from_bar - 1) * bar, pattern.length_ticks), bars * bar
            require_range("The length", pattern.length_ticks + added, 1, MAX_BARS * 3840, "ticks")
            moved = [replace(hit, tick=hit.tick + added) if hit.tick >= at else hit for hit in pattern.hits]
            source = range(max(0, at - added), at)
            come = [replace(hit, tick=hit.tick + added) for hit in pattern.hits if hit.tick in source] if copy else []
            come = [hit for hit in come if at <= hit.tick < at + added]
            return replace(pattern, length_ticks=pattern.length_ticks + added, hits=(*moved, *come))
        case ChangeSpeed(factor):
            require_range("The speed", factor, 0.25, 4)
            length_ticks = max(1, round(pattern.length_ticks * factor))
            return replace(pattern, length_ticks=length_ticks, hits=_at_speed(pattern, factor))
        case Break(from_bar, bars, keep):
            begin, end = _span(pattern, from_bar, bars)
            kept = {check_voice(voice) for voice in keep}
            left = tuple(hit for hit in pattern.hits if hit.voice in kept or not begin <= hit.tick < end)
            if len(left) == len(pattern.hits):
                raise EditRefusedError("Nothing but the voices you keep sounds in these bars already.")
            return replace(pattern, hits=left)


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
        dressed = replace(hit.articulation, span_ticks=span) if span else hit.articulation
        hits.append(replace(hit, tick=tick, articulation=dressed))
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


def describe_length_edit(edit: LengthEdit, pattern: Pattern) -> str:
    """What the edit does, in words for the undo list."""
    match edit:
        case SetLength(bars):
            return f"length {_bars(bars)}"
        case SetLengthTicks(length_ticks):
            return f"length {length_ticks / pattern.metre.bar_ticks:.3g} bars"
        case DropBars(from_bar, bars):
            return f"drop {_range(from_bar, bars)}"
        case AddBars(from_bar, bars, copy):
            return f"{'copy' if copy else 'add'} {_bars(bars)} before bar {from_bar}"
        case ChangeSpeed(factor):
            return "the pattern at half speed" if factor > 1 else "the pattern at double speed"
        case Break(from_bar, bars, keep):
            return f"break in {_range(from_bar, bars)}, {len(keep)} voice{'s go' if len(keep) != 1 else ' goes'} on"


def _bars(count: int) -> str:
    return f"{count} bar{'s' if count != 1 else ''}"


def _range(from_bar: int, bars: int) -> str:
    return f"bar {from_bar}" if bars == 1 else f"bars {from_bar}-{from_bar + bars - 1}"
