"""What the simulated pad controller plays: a beat by an invented hand, pass after pass."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from easy_pocket.core.pattern.voices import stand_in
from easy_pocket.core.takes.hand import Hand
from easy_pocket.core.takes.hand_player import played_by

PLAIN = {"kick": (0, 6, 8), "snare": (4, 12), "hat_closed": tuple(range(0, 16, 2))}


@dataclass(frozen=True)
class QuayPerformance:
    """rows: voice, ms from the start of the first pass, velocity, in order of time."""

    rows: tuple[tuple[str, float, int], ...]
    length_ms: float


def plain_beat(metre: Metre, roles: Iterable[str]) -> Pattern:
    """One bar to play where nothing is written."""
    there = tuple(roles)
    hits = {}
    for role, slots in PLAIN.items():
        voice = role if role in there else stand_in(role, there)
        for slot in slots:
            tick = slot * 240
            if tick < metre.bar_ticks and voice:
                hits[(voice, tick)] = Hit(voice, tick, 96)
    return Pattern(metre.bar_ticks, tuple(hits.values()), metre)


def quay_beat(
    pattern: Pattern, roles: Iterable[str], hand: Hand, tempo_bpm: float, *, bars: int, passes: int, seed: int
) -> QuayPerformance:
    """So many passes of so many bars of a beat, played through by a hand.

    Parameters
    ----------
    pattern
        What is played, round and round; a plain beat where it is empty.
    roles
        Voices of the kit.
    hand, tempo_bpm, seed
        Who plays, how fast, and which performance.
    bars, passes
        Of a pass, and how many.
    """
    beat = pattern if pattern.hits else plain_beat(pattern.metre, roles)
    length = bars * pattern.metre.bar_ticks
    whole = passes * length
    turns = range(0, whole, beat.length_ticks)
    plain = (replace(hit, offset_ms=0.0) for hit in beat.hits)
    written = [replace(hit, tick=turn + hit.tick) for hit in plain for turn in turns if turn + hit.tick < whole]
    played = played_by(Pattern(whole, tuple(written), pattern.metre), hand, tempo_bpm=tempo_bpm, seed=seed)
    tick_ms = ms_per_tick(tempo_bpm)
    rows = sorted((hit.tick * tick_ms + hit.offset_ms, hit.voice, hit.velocity) for hit in played.hits)
    return QuayPerformance(tuple((voice, time_ms, size) for time_ms, voice, size in rows), length * tick_ms)
