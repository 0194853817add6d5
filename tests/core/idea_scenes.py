"""Beats to have ideas for, and a limb check of its own, written without a look at the program's."""

from __future__ import annotations

import itertools

from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.ideas.playable import FEET, PLACES
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from easy_pocket.samples import house_kits

KIT = house_kits()["boathouse"].roles
LEVELS = {"X": 114, "x": 92, "o": 68, "-": 38}

BEATS = {
    "straight": (Metre(4, 4), 240, {
        "kick": "X.......X.x.....X.......X..x....", "snare": "....X.......X.......X..-....X..-",
        "hat_closed": "x.o.x.o.x.o.x.o.x.o.x.o.x.o.x.o."}),
    "waltz": (Metre(3, 4), 240, {
        "kick": "X...........X.........x.", "snare": "....x...x.......x...X...",
        "hat_closed": "x.o.x.o.x.o.x.o.x.o.x.o."}),
    "six": (Metre(6, 8), 240, {
        "kick": "X...........X...x.......", "snare": "......X...........X..-..",
        "hat_closed": "x.o.o.x.o.o.x.o.o.x.o.o."}),
    "triplet": (Metre(4, 4), 320, {
        "kick": "X.....X.....X....xX.....", "snare": "...X.....X.....X.....X..",
        "ride": "x..x.ox..x.ox..x.ox..x.o"}),
    "seven": (Metre(7, 8), 240, {
        "kick": "X.......X.....X.....X.......", "snare": "....X.....X.......X.....X...",
        "hat_closed": "x.x.x.x.x.x.x.x.x.x.x.x.x.x."}),
}  # fmt: skip


def beat(name: str) -> Pattern:
    metre, step, rows = BEATS[name]
    hits = [
        Hit(voice, slot * step, LEVELS[mark])
        for voice, marks in rows.items()
        for slot, mark in enumerate(marks)
        if mark != "."
    ]
    return Pattern(2 * metre.bar_ticks, tuple(hits), metre)


def scene(
    name: str = "straight", tempo_bpm: float = 104.0, swing: float = 50.0, unit: int = 16, **changes: object
) -> IdeaContext:
    return IdeaContext(beat(name), KIT, tempo_bpm, swing, unit)


def with_lock(pattern: Pattern, voice: str, tick: int) -> Pattern:
    hit = pattern.at(voice, tick)
    assert hit is not None
    locked = Hit(voice, tick, hit.velocity, articulation=Articulation(locked=True))
    return pattern.exchanged([hit], [locked])


def limbs_can(hits: list[Hit], tempo_bpm: float, begin: int, end: int) -> bool:
    """Whether someone can play the hits from begin to end: tries every hand for every stroke, depth first."""
    tick_ms = ms_per_tick(tempo_bpm)
    strokes = sorted((hit.tick * tick_ms, hit.voice) for hit in hits if begin <= hit.tick < end)
    for foot in FEET:
        times = [time for time, voice in strokes if voice == foot]
        if any(later - time < 105 - 1e-6 for time, later in itertools.pairwise(times)):
            return False
    struck = [(time, voice) for time, voice in strokes if voice not in FEET]

    def time_for(one: str, other: str) -> float:
        if one == other:
            return 95.0
        (x, y), (u, v) = PLACES[one], PLACES[other]
        return 95.0 + 65.0 * min(((x - u) ** 2 + (y - v) ** 2) ** 0.5 / 1.2, 1.0)

    dead: set[tuple[int, tuple[int, int]]] = set()

    def go(at: int, last: tuple[int, int]) -> bool:
        if at == len(struck):
            return True
        if (at, last) in dead:
            return False
        for hand in (0, 1):
            before = last[hand]
            gap_ms = struck[at][0] - struck[before][0] if before >= 0 else 1e9
            free = before < 0 or gap_ms >= time_for(struck[before][1], struck[at][1]) - 1e-6
            if free and go(at + 1, (at, last[1]) if hand == 0 else (last[0], at)):
                return True
        dead.add((at, last))
        return False

    return go(0, (-1, -1))
