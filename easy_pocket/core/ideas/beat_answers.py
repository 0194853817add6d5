"""A variation that answers the beat: a cell of its own rhythm said again elsewhere - displaced, turned or thinned."""

from __future__ import annotations

from collections.abc import Callable

from easy_pocket.core.ideas.change import Change
from easy_pocket.core.ideas.placement import LOUDEST_GHOST
from easy_pocket.core.ideas.varied_span import Span
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.core.pattern.voices import voice_name

FEWEST, MOST = 2, 4  # strokes of a cell
FEWEST_NEW = 2  # strokes an answer adds; fewer are no rhythm
SOFT_PLACE = -2  # soft strokes are between the beats
SAYS = ("kick", "snare", "rim", "clap", "conga_high", "tom_low")  # whose rhythm is answered
ANSWERS = {
    "kick": 88,
    "snare": 36,
    "rim": 64,
    "tom_low": 84,
    "conga_high": 72,
    "conga_low": 78,
}  # and by whom, how hard
WAYS: dict[str, Callable[[list[int], int, int], list[int]]] = {
    "again": lambda cell, length, step: cell,
    "turned": lambda cell, length, step: sorted(length - step - tick for tick in cell),
    "a slot later": lambda cell, length, step: [tick + step for tick in cell if tick + step < length],
    "thinned": lambda cell, length, step: cell[:1] + cell[2:] if len(cell) > FEWEST else [],
}


def answers(span: Span) -> list[Change]:
    """Cells of half a bar, answered in the half after it.

    A cell has two to four strokes of one voice, off the beat at least once. Its answer is said by another voice, or by
    the kick; it keeps to the places of ghosts and kicks, and adds two strokes at least.
    """
    length = _cell_ticks(span)
    found = []
    for begin in range(span.begin - span.begin % length, span.end, length):
        target = begin + length if begin + length < span.end else span.begin
        for says in SAYS:
            cell = _cell(span, says, begin, length)
            if not cell:
                continue
            for way, turn in WAYS.items():
                for voice, velocity in ANSWERS.items():
                    if voice == says and voice != "kick":
                        continue
                    come = _strokes(span, voice, velocity, [target + tick for tick in turn(cell, length, span.step)])
                    if len(come) >= FEWEST_NEW:
                        found.append(Change("answer", (), tuple(come), _words(span, says, begin, way, voice, come)))
    return found


def _cell_ticks(span: Span) -> int:
    metre = span.scene.metre
    half = metre.bar_ticks // 2
    return half if half % metre.pulse_ticks == 0 else metre.bar_ticks


def _cell(span: Span, voice: str, begin: int, length: int) -> list[int]:
    """Where the voice strikes in this stretch, from its beginning; nothing when that is no cell."""
    pulse = span.scene.metre.pulse_ticks
    struck = [
        hit.tick - begin
        for hit in span.pattern.hits
        if hit.voice == voice and begin <= hit.tick < begin + length and hit.velocity > LOUDEST_GHOST
    ]
    syncopated = any(tick % pulse for tick in struck)
    return struck if syncopated and FEWEST <= len(struck) <= MOST else []


def _strokes(span: Span, voice: str, velocity: int, ticks: list[int]) -> list[Hit]:
    """The strokes of an answer that the voice may have, all of them or none where one would break a rule."""
    if voice not in span.scene.voices:
        return []
    free, place = set(span.empty(voice)), span.placement
    new = [tick for tick in ticks if tick in free]
    if voice == "kick":
        allowed = all(place.kick_odds(tick) for tick in new)
    elif velocity <= LOUDEST_GHOST:
        allowed = all(place.ghost_odds(tick) and span.weight(tick) <= SOFT_PLACE for tick in new)
    else:
        allowed = not set(new) & place.backbeats
    return [Hit(voice, tick, velocity) for tick in new] if allowed else []


def _words(span: Span, says: str, begin: int, way: str, voice: str, come: list[Hit]) -> str:
    metre = span.scene.metre
    by = "the snare, softly," if voice == "snare" else voice_name(voice)
    turned = "" if way == "again" else f", {way}"
    said = f"the rhythm of {voice_name(says)} at {place_name(begin, metre)}{turned}"
    return f"{said}: {by} answers from {place_name(come[0].tick, metre)}, {len(come)} strokes"
