"""What differs between two patterns, place by place and in words."""

from __future__ import annotations

from dataclasses import dataclass

from easy_pocket.core.pattern.articulation import describe_articulation
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.core.pattern.voices import voice_name


@dataclass(frozen=True)
class Difference:
    """One place where two patterns differ; `kind` is "added", "gone" or "changed", seen from the first one."""

    kind: str
    voice: str
    tick: int
    words: str


def differences(one: Pattern, other: Pattern) -> list[Difference]:
    """In order of place. Two patterns are the same when there are none and their lengths agree."""
    found = []
    for voice, tick in sorted({*one.by_place, *other.by_place}, key=lambda place: (place[1], place[0])):
        before, after = one.by_place.get((voice, tick)), other.by_place.get((voice, tick))
        if before == after:
            continue
        where = f"{voice_name(voice)} {place_name(tick, one.metre)}"
        if before is None:
            assert after is not None
            found.append(Difference("added", voice, tick, f"{where} added, velocity {after.velocity}"))
        elif after is None:
            found.append(Difference("gone", voice, tick, f"{where} gone"))
        else:
            found.append(Difference("changed", voice, tick, f"{where} {_changes(before, after)}"))
    return found


def _changes(before: Hit, after: Hit) -> str:
    words = []
    if before.velocity != after.velocity:
        words.append(f"velocity {before.velocity} to {after.velocity}")
    if before.offset_ms != after.offset_ms:
        words.append(f"{before.offset_ms:+.1f} to {after.offset_ms:+.1f} ms".replace("-", "−"))
    if before.alternate != after.alternate:
        words.append(f"sound {before.alternate + 1} to {after.alternate + 1}")
    if before.articulation != after.articulation:
        was, now = (describe_articulation(hit.articulation) or "plain" for hit in (before, after))
        words.append(f"{was} to {now}")
    return "; ".join(words)


def describe_differences(one: Pattern, other: Pattern) -> list[str]:
    """Say in words what leads from one pattern to another, a line for each difference.

    Parameters
    ----------
    one, other
        The patterns, at any lengths.

    Examples
    --------
    >>> from easy_pocket.core.pattern.pattern import Hit, Pattern
    >>> before, after = Pattern(3840, (Hit("kick", 0, 110),)), Pattern(3840, (Hit("kick", 0, 96),))
    >>> describe_differences(before, after)
    ['kick 1.1 velocity 110 to 96']
    """
    lines = [difference.words for difference in differences(one, other)]
    if one.length_ticks != other.length_ticks:
        bars = [pattern.length_ticks / pattern.metre.bar_ticks for pattern in (one, other)]
        lines.insert(0, f"length {bars[0]:.3g} to {bars[1]:.3g} bars")
    return lines
