"""Two parts on one sound at one moment: found, listed, and settled."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from easy_pocket.core.pattern.pattern import MAX_OFFSET_MS
from easy_pocket.core.song.arrangement import Arrangement, Span
from easy_pocket.core.song.hit_columns import HitColumns
from easy_pocket.core.song.part import Part, audible_parts

TICK_BITS = 24  # a song is shorter than 2**24 ticks
APART_MS = 12.0  # one of two goes so much later when they are to be set apart


@dataclass(frozen=True)
class Collision:
    """Moments at which two parts strike one voice of one kit. first: (span, tick in it) of the first of them."""

    parts: tuple[int, int]
    voice: str
    count: int
    first: tuple[Span, int]
    choice: str


def sharing(parts: tuple[Part, ...]) -> list[tuple[Part, Part]]:
    """Pairs of parts that sound from one kit, the smaller key first."""
    heard = audible_parts(parts)
    sounding = sorted((part for part in parts if part.key in heard), key=lambda part: part.key)
    return [(one, other) for one, other in combinations(sounding, 2) if one.kit == other.kit]


def struck_twice(one: HitColumns, other: HitColumns) -> list[tuple[str, np.ndarray, np.ndarray]]:
    """For each voice both strike at once: its name, and the places of those hits in either line."""
    found = []
    for voice in set(one.voices) & set(other.voices):
        mine, theirs = np.flatnonzero(one.of([voice])), np.flatnonzero(other.of([voice]))
        _, here, there = np.intersect1d(one.tick[mine], other.tick[theirs], assume_unique=True, return_indices=True)
        if len(here):
            found.append((voice, mine[here], theirs[there]))
    return sorted(found, key=lambda item: item[0])


def resolve_collisions(song: Arrangement, lines: dict[int, HitColumns]) -> dict[int, HitColumns]:
    """The lines of a span with what was chosen for moments two parts strike together."""
    if not song.collision_choices:
        return lines
    after = dict(lines)
    for one, other in sharing(song.parts):
        if one.key not in after or other.key not in after:
            continue
        first, second = after[one.key], after[other.key]
        goes_first, goes_second = np.zeros(len(first), dtype=bool), np.zeros(len(second), dtype=bool)
        offset = second.offset_ms.copy()
        for voice, here, there in struck_twice(first, second):
            choice = song.collision_choices.get((one.key, other.key, voice), "keep")
            if choice == "drop":
                stays = first.velocity[here] >= second.velocity[there]
                goes_first[here[~stays]] = True
                goes_second[there[stays]] = True
            elif choice == "offset":
                offset[there] = np.minimum(offset[there] + APART_MS, MAX_OFFSET_MS)
        # All at once in the end: places of the other voices hold until then.
        after[one.key] = first.take(~goes_first)
        after[other.key] = replace(second, offset_ms=offset).take(~goes_second)
    return after


def find_collisions(song: Arrangement, lines_of: list[tuple[Span, dict[int, HitColumns]]]) -> list[Collision]:
    """All there are, by how often they come. lines_of: of every span before they are settled."""
    voices: dict[str, int] = {}
    struck = {part.key: _struck(part.key, lines_of, voices) for part in song.parts}
    names = list(voices)
    starts = np.array([span.start_tick for span, _ in lines_of], dtype=np.int64)
    found = []
    for one, other in sharing(song.parts):
        both = np.intersect1d(struck[one.key], struck[other.key], assume_unique=True)
        voice, tick = both >> TICK_BITS, both & (2**TICK_BITS - 1)
        for number in np.unique(voice).tolist():
            mine = tick[voice == number]
            at = int(np.searchsorted(starts, mine[0], side="right")) - 1
            first = (lines_of[at][0], int(mine[0] - starts[at]))
            choice = song.collision_choices.get((one.key, other.key, names[number]), "keep")
            found.append(Collision((one.key, other.key), names[number], len(mine), first, choice))
    return sorted(found, key=lambda one: (-one.count, one.parts, one.voice))


def _struck(part: int, lines_of: list[tuple[Span, dict[int, HitColumns]]], voices: dict[str, int]) -> np.ndarray:
    """Every place a part strikes as one number: the voice's number above the tick of the song."""
    pieces = [np.zeros(0, dtype=np.int64)]
    for span, lines in lines_of:
        line = lines.get(part)
        if line is not None:
            number = np.array([voices.setdefault(name, len(voices)) for name in line.voices], dtype=np.int64)
            pieces.append((number[line.voice] << TICK_BITS) + line.tick + span.start_tick)
    return np.concatenate(pieces)
