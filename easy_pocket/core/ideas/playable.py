"""Whether two hands and two feet can play it: limbs given to hits by dynamic programming, and what is left over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from easy_pocket.core.feel.perform import Performance, perform
from easy_pocket.core.feel.strokes import strokes
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import ms_per_tick, place_name
from easy_pocket.core.pattern.voices import voice_name

HAND_AGAIN_MS = 95.0  # one hand on one drum
HAND_FAR_MS = 160.0  # one hand across the whole kit
FOOT_AGAIN_MS = 105.0
TOGETHER_MS = 12.0  # what is nearer than this is struck at once
FEET = {"kick": "right foot", "hat_pedal": "left foot"}
# Where things stand, seen by the player, in metres: left to right, near to far.
PLACES = {
    "snare": (0.0, 0.0), "rim": (0.0, 0.0), "hat_closed": (-0.4, 0.2), "hat_open": (-0.4, 0.2),
    "clap": (-0.2, 0.5), "tom_high": (0.0, 0.4), "tom_mid": (0.35, 0.4), "tom_low": (0.6, 0.0),
    "ride": (0.75, 0.35), "crash": (-0.35, 0.7), "shaker": (-0.6, 0.4), "tambourine": (-0.5, 0.6),
    "conga_high": (0.1, -0.3), "conga_low": (0.4, -0.3), "wood": (0.3, 0.6), "bell": (0.2, 0.6), "sweep": (0.9, 0.6),
}  # fmt: skip
ELSEWHERE = (0.3, 0.3)
REACH_M = 1.2  # across the kit
MOST_STATES = 24
MOST_TRIED = 4
MOST_CHECKED = 600  # hits: of more, whether they are playable is not said

State = tuple[tuple[float, str], tuple[float, str]]  # of left and right hand: when it last struck, and what
RESTED = (-1e9, "")


@dataclass(frozen=True)
class Fault:
    """A stroke nobody could play: which hit it is of (its place in the list given), and why."""

    index: int
    words: str


@lru_cache(maxsize=2048)
def hand_ms(one: str, other: str) -> float:
    """The least time between two strokes of one hand: 95 ms in one place, up to 160 ms by distance."""
    if one == other or not one:
        return HAND_AGAIN_MS
    (x, y), (u, v) = PLACES.get(one, ELSEWHERE), PLACES.get(other, ELSEWHERE)
    share = min(float(np.hypot(x - u, y - v)) / REACH_M, 1.0)
    return HAND_AGAIN_MS + share * (HAND_FAR_MS - HAND_AGAIN_MS)


def faults(times_ms: Sequence[float], voices: Sequence[str]) -> list[Fault]:
    """What two hands and two feet cannot play of strokes in order of time, as few as can be; empty when all can.

    Kick and pedal hat are for a foot each, all else for the hands. One hand repeats no faster than 95 ms, changes place
    no faster than 95-160 ms by distance; a foot repeats no faster than 105 ms.
    """
    found = _of_feet(times_ms, voices)
    hands = [place for place, voice in enumerate(voices) if voice not in FEET]
    found += _of_hands(hands, times_ms, voices)
    return sorted(found, key=lambda fault: fault.index)


def _of_feet(times_ms: Sequence[float], voices: Sequence[str]) -> list[Fault]:
    found, last = [], dict.fromkeys(FEET, -1e9)
    for place, voice in enumerate(voices):
        if voice not in last:
            continue
        if times_ms[place] - last[voice] < FOOT_AGAIN_MS - 1e-6:
            found.append(Fault(place, f"the {FEET[voice]} would have to strike again within {FOOT_AGAIN_MS:g} ms"))
        else:
            last[voice] = times_ms[place]
    return found


def _of_hands(hands: list[int], times_ms: Sequence[float], voices: Sequence[str]) -> list[Fault]:
    # Of every way the hands may be left, the fewest faults that lead there, and the way: (place, words) chained.
    ways: dict[State, tuple[int, tuple[object, ...]]] = {(RESTED, RESTED): (0, ())}
    at = 0
    while at < len(hands):
        chord = [hands[at]]
        while at + len(chord) < len(hands) and times_ms[hands[at + len(chord)]] - times_ms[chord[0]] < TOGETHER_MS:
            chord.append(hands[at + len(chord)])
        at += len(chord)
        now = times_ms[chord[0]]
        following: dict[State, tuple[int, tuple[object, ...]]] = {}
        for state, (count, chain) in ways.items():
            for after, missed in _ways_on(state, [voices[place] for place in chord], now):
                much = chain
                for place in missed:
                    much = (much, chord[place], len(chord))
                key = (_rested(after[0], now), _rested(after[1], now))
                if key not in following or following[key][0] > count + len(missed):
                    following[key] = (count + len(missed), much)
        if len(following) > MOST_STATES:
            following = dict(sorted(following.items(), key=lambda item: item[1][0])[:MOST_STATES])
        ways = following
    _, chain = min(ways.values(), key=lambda way: way[0])
    return _unchained(chain)


def _ways_on(state: State, chord: list[str], now: float) -> list[tuple[State, list[int]]]:
    """How the hands can take strokes that fall together: the state after, and which of them nobody takes."""
    left, right = state
    can = [
        (now - left[0] >= hand_ms(left[1], voice) - 1e-6, now - right[0] >= hand_ms(right[1], voice) - 1e-6)
        for voice in chord
    ]
    everyone = range(len(chord))
    tried = range(min(len(chord), MOST_TRIED))  # of a wall of strokes two are taken whichever they are
    found: list[tuple[State, list[int]]] = []
    for one in tried:
        for other in tried:
            if one != other and can[one][0] and can[other][1]:
                missed = [place for place in everyone if place not in (one, other)]
                found.append((((now, chord[one]), (now, chord[other])), missed))
    if len(chord) == 1 or not found:
        for one in tried:
            missed = [place for place in everyone if place != one]
            if can[one][0]:
                found.append((((now, chord[one]), right), missed))
            if can[one][1]:
                found.append(((left, (now, chord[one])), missed))
    return found or [(state, list(everyone))]


def _rested(hand: tuple[float, str], now: float) -> tuple[float, str]:
    """A hand that has rested long enough to be anywhere in time is as good as one that never struck."""
    return RESTED if now - hand[0] >= HAND_FAR_MS else hand


def _unchained(chain: tuple[object, ...]) -> list[Fault]:
    found = []
    while chain:
        chain, place, together = chain  # type: ignore[assignment]
        words = "more than two strokes for two hands at once" if together > 2 else "no hand can be there in time"  # type: ignore[operator]
        found.append(Fault(place, words))  # type: ignore[arg-type]
    return found


def faults_of_hits(hits: Sequence[Hit], tempo_bpm: float) -> list[Fault]:
    """Faults of written hits on the straight grid; places point into the hits as given, which are in order of tick.

    Ornaments are not counted: see `check_performance`. A sound that runs backwards is struck by nobody.
    """
    tick_ms = ms_per_tick(tempo_bpm)
    struck = [place for place, hit in enumerate(hits) if not hit.articulation.backwards]
    found = faults([hits[place].tick * tick_ms for place in struck], [hits[place].voice for place in struck])
    return [replace(fault, index=struck[fault.index]) for fault in found]


def check_performance(performance: Performance) -> list[tuple[Hit, Fault]]:
    """What cannot be played of a performance, ornaments carried out and offsets as they are, with the hit it is of."""
    struck = strokes(performance)
    order = struck.time_ms.argsort(kind="stable")
    columns = performance.hits
    owner = struck.hit[order]
    voices = [columns.voices[index] for index in columns.voice_index[owner].tolist()]
    found = []
    for fault in faults(struck.time_ms[order].tolist(), voices):
        index = int(owner[fault.index])
        hit = Hit(voices[fault.index], int(columns.tick[index]), int(columns.velocity[index]))
        found.append((hit, fault))
    return found


def unplayable(pattern: Pattern, tempo_bpm: float) -> list[str]:
    """Say in words what two hands and two feet cannot play of a pattern, straight.

    Parameters
    ----------
    pattern
        What is written.
    tempo_bpm
        How fast.

    Returns
    -------
    list of str
        Empty when all can be played.

    Examples
    --------
    >>> from easy_pocket.core.pattern.pattern import Hit, Pattern
    >>> at_once = [Hit(voice, 0, 100) for voice in ("snare", "ride", "crash", "tom_low")]
    >>> unplayable(Pattern(3840, tuple(at_once)), 100)[0]
    'snare at 1.1: more than two strokes for two hands at once'
    """
    return [
        f"{voice_name(hit.voice)} at {place_name(hit.tick, pattern.metre)}: {fault.words}"
        for hit, fault in check_performance(perform(pattern, tempo_bpm=tempo_bpm, straight=True))
    ]


def limbs_used(voices: Sequence[str]) -> str:
    """Say what plays these voices when all of a hand's work is shared: "two hands, one foot"."""
    feet = len({FEET[voice] for voice in voices if voice in FEET})
    hands = "two hands" if any(voice not in FEET for voice in voices) else "no hand"
    return f"{hands}, {('no foot', 'one foot', 'two feet')[feet]}"


def playable_tag(hits: Sequence[Hit], tempo_bpm: float) -> tuple[str, ...]:
    """Whether two hands and two feet can play it, in a word; nothing for more hits than are worth the time."""
    if len(hits) > MOST_CHECKED:
        return ()
    return ("not for two hands",) if faults_of_hits(hits, tempo_bpm) else ("playable",)
