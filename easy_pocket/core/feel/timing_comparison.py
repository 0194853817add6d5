"""The gap between two performances, hit by hit: of a beat felt and straight, of two beats, of a beat and a loop."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import Performance, only_sounding
from easy_pocket.core.feel.template import BAND_LANES
from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.core.pattern.voices import band_of

BANDS = BAND_LANES

MOST_TURNS = 16  # of the longer of two sides, until they begin together
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Side:
    """Hits to compare, sorted by time.

    voices: what voice_index points into. time_ms: 0 up to length_ms, at one tempo. tick: the written place nearest to
    each. bands: shape (n, 3), whether a hit has to do with low, mid and high.
    """

    name: str
    voices: tuple[str, ...]
    voice_index: npt.NDArray[np.intp]
    time_ms: Floats
    tick: Ints
    velocity: Floats
    bands: npt.NDArray[np.bool_]
    length_ms: float
    heard: bool = False  # in audio: its voices are bands, and a hit may be of several

    def offsets_ms(self, tempo_bpm: float) -> Floats:
        """How far each hit is off its written place at the tempo the times are at."""
        return round_the_loop(self.time_ms - self.tick * ms_per_tick(tempo_bpm), self.length_ms)


def side_of(performance: Performance, name: str) -> Side:
    """Take the hits of a performance that sound as one side of a comparison."""
    performance = only_sounding(performance)
    hits = performance.hits
    order = np.argsort(performance.loop_ms, kind="stable")
    of = np.array([[_band(voice) in (band, "all") for band in BANDS] for voice in hits.voices], dtype=bool)
    return Side(
        name,
        hits.voices,
        hits.voice_index[order],
        performance.loop_ms[order],
        hits.tick[order],
        performance.velocity[order].astype(np.float64),
        of[hits.voice_index[order]] if len(order) else np.zeros((0, 3), dtype=bool),
        performance.length_ms,
    )


def together(sides: Sequence[tuple[str, Side]], name: str) -> Side:
    """Several sides of one length as one; the voices of each are told apart by what is put before their names.

    Parameters
    ----------
    sides
        What is put before the voices of each ("2:"), and the side; at least one.
    name
        What all of them are called.

    Returns
    -------
    Side
        All their hits, sorted by time.
    """
    voices = tuple(f"{before}{voice}" for before, side in sides for voice in side.voices)
    firsts = np.cumsum([0, *(len(side.voices) for _, side in sides)])
    index = np.concatenate([side.voice_index + first for (_, side), first in zip(sides, firsts, strict=False)])
    time_ms = np.concatenate([side.time_ms for _, side in sides])
    order = np.argsort(time_ms, kind="stable")
    return Side(
        name,
        voices,
        index[order],
        time_ms[order],
        np.concatenate([side.tick for _, side in sides])[order],
        np.concatenate([side.velocity for _, side in sides])[order],
        np.concatenate([side.bands for _, side in sides])[order],
        max(side.length_ms for _, side in sides),
    )


def _band(voice: str) -> str:
    return voice if voice in BANDS else band_of(voice)


@dataclass(frozen=True)
class TimingComparison:
    """Hits of one side with the nearest of the other.

    a, b: shape (n,), indices of the pairs; gap_ms: b minus a, positive where b is later. only_a, only_b: indices of
    hits that have none within half a slot.
    """

    a: npt.NDArray[np.intp]
    b: npt.NDArray[np.intp]
    gap_ms: Floats
    only_a: npt.NDArray[np.intp]
    only_b: npt.NDArray[np.intp]

    @property
    def mean_size_ms(self) -> float | None:
        return float(np.abs(self.gap_ms).mean()) if len(self.gap_ms) else None

    @property
    def mean_ms(self) -> float | None:
        return float(self.gap_ms.mean()) if len(self.gap_ms) else None

    def worst(self, count: int) -> npt.NDArray[np.intp]:
        """The widest pairs, as indices into a, b and gap_ms; the widest first, and each hit of a once.

        Where a is the shorter side, a hit has a pair in every turn.
        """
        order = np.argsort(-np.abs(self.gap_ms), kind="stable")
        _, first = np.unique(self.a[order], return_index=True)
        return np.asarray(order[np.sort(first)][:count])


def gap(a: Side, b: Side, half_slot_ms: float) -> TimingComparison:
    """Pair every hit of `a` with the nearest hit of `b` in the same voice, round the loop's end.

    Where `b` is an audio loop, the nearest in the voice's band counts, or the nearest at all when nothing is heard
    in that band. Sides of different length repeat: the longer one is measured. A loop of which neither fits into the
    other is compared turn by turn until both begin together.

    Parameters
    ----------
    a
        The side that is measured.
    b
        The side it is measured against.
    half_slot_ms
        Hits further apart than this are no pair, in ms.

    Returns
    -------
    TimingComparison
        For each hit of `a` its partner in `b` and the way to it.

    Raises
    ------
    BadValueError
        When the lengths have nothing to do with each other (neither is a multiple of the other).
    """
    longer, shorter = (a, b) if a.length_ms >= b.length_ms else (b, a)
    times = longer.length_ms / shorter.length_ms
    if abs(times - round(times)) > 1e-6:
        turns = _turns_together(longer.length_ms / shorter.length_ms) if a.heard or b.heard else 0
        if turns:
            return _turn_by_turn(a, b, longer is a, turns, half_slot_ms)
        raise BadValueError(
            f"{a.name} and {b.name} are {a.length_ms / 1000:.2f} and {b.length_ms / 1000:.2f} s long, and neither "
            "fits into the other a whole number of times: compare bars of one length."
        )
    if shorter is a:
        turned = gap(b, a, half_slot_ms)
        return TimingComparison(turned.b, turned.a, -turned.gap_ms, turned.only_b, turned.only_a)
    pairs: list[tuple[npt.NDArray[np.intp], npt.NDArray[np.intp], Floats]] = []
    none = np.zeros(0, dtype=np.intp)
    for mine, theirs in _families(a, b):
        left = np.setdiff1d(mine, np.concatenate([none, *(pair[0] for pair in pairs)]))
        pairs.append(_pairs(a, b, left, theirs, half_slot_ms))
    at, to = (np.concatenate([none, *(pair[n] for pair in pairs)]) for n in (0, 1))
    gaps_ms = np.concatenate([np.zeros(0), *(pair[2] for pair in pairs)])
    order = np.argsort(at, kind="stable")
    return TimingComparison(
        at[order],
        to[order],
        gaps_ms[order],
        np.setdiff1d(np.arange(len(a.time_ms)), at),
        np.setdiff1d(np.arange(len(b.time_ms)), to),
    )


def _turns_together(ratio: float) -> int:
    """How often the longer of two sides goes round until both begin together; 0 if that takes too long."""
    return next((turns for turns in range(2, MOST_TURNS + 1) if abs(ratio * turns - round(ratio * turns)) < 1e-6), 0)


def _turn_by_turn(a: Side, b: Side, first_is_longer: bool, turns: int, half_slot_ms: float) -> TimingComparison:
    """A loop and a beat of which neither fits into the other, round and round until they begin together again."""
    if first_is_longer:
        found = gap(_repeated(a, turns), b, half_slot_ms)
    else:
        found = gap(a, _repeated(b, turns), half_slot_ms)
    one, other = found.a % max(len(a.time_ms), 1), found.b % max(len(b.time_ms), 1)
    alone = (np.setdiff1d(np.arange(len(side.time_ms)), at) for side, at in ((a, one), (b, other)))
    return TimingComparison(one, other, found.gap_ms, *alone)


def _repeated(side: Side, turns: int) -> Side:
    count = len(side.time_ms)
    later_ms = np.repeat(np.arange(turns) * side.length_ms, count)
    return replace(
        side,
        voice_index=np.tile(side.voice_index, turns),
        time_ms=np.tile(side.time_ms, turns) + later_ms,
        tick=np.tile(side.tick, turns),
        velocity=np.tile(side.velocity, turns),
        bands=np.tile(side.bands, (turns, 1)),
        length_ms=side.length_ms * turns,
    )


def _families(a: Side, b: Side) -> list[tuple[npt.NDArray[np.intp], npt.NDArray[np.intp]]]:
    """Which hits of one side may be paired with which of the other."""
    everything = (np.arange(len(a.time_ms)), np.arange(len(b.time_ms)))
    if a.heard and b.heard:
        return [everything]
    if not a.heard and not b.heard:
        return [
            (np.flatnonzero(a.voice_index == index), np.flatnonzero(b.voice_index == b.voices.index(voice)))
            for index, voice in enumerate(a.voices)
            if voice in b.voices
        ]
    families = []
    written, heard = (b, a) if a.heard else (a, b)
    for index in range(len(written.voices)):
        mine = np.flatnonzero(written.voice_index == index)
        theirs = np.flatnonzero((heard.bands & written.bands[mine[0]]).any(axis=1))
        families.append((theirs, mine) if a.heard else (mine, theirs))
    # What sounds at once in a loop is one hit there: what found none in its band takes any that is near.
    return [*families, everything]


def _pairs(
    a: Side, b: Side, mine: npt.NDArray[np.intp], theirs: npt.NDArray[np.intp], half_slot_ms: float
) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.intp], Floats]:
    """B repeats within a."""
    if not len(mine) or not len(theirs):
        return mine[:0], theirs[:0], np.zeros(0)
    to, gap_ms = nearest_round(a.time_ms[mine], b.time_ms[theirs], b.length_ms)
    near = np.abs(gap_ms) <= half_slot_ms
    return mine[near], theirs[to[near]], gap_ms[near]


def nearest_round(at_ms: Floats, times_ms: Floats, length_ms: float) -> tuple[npt.NDArray[np.intp], Floats]:
    """Find for each place the nearest of the times (sorted, at least one).

    And the way to it in ms, round a loop of length_ms.

    Parameters
    ----------
    at_ms
        Places to look from, in ms, shape (n,).
    times_ms
        Times to look among, in ms, sorted, at least one.
    length_ms
        Length of the loop in ms.

    Returns
    -------
    tuple[npt.NDArray[np.intp], Floats]
        Index of the nearest time and the way to it in ms, each of shape (n,).
    """
    inside = np.mod(at_ms, length_ms)
    after = np.searchsorted(times_ms, inside) % len(times_ms)
    before = (after - 1) % len(times_ms)
    back, on = (round_the_loop(times_ms[which] - inside, length_ms) for which in (before, after))
    earlier = np.abs(back) <= np.abs(on)
    return np.where(earlier, before, after), np.where(earlier, back, on)


def round_the_loop(ms: Floats, length_ms: float) -> Floats:
    """The shorter way round: from minus half a loop to half a loop."""
    return np.asarray((ms + length_ms / 2) % length_ms - length_ms / 2)


def comparison_of_places(a: Side, found: TimingComparison, places: set[tuple[str, int]]) -> TimingComparison:
    """Only the hits of `a` written on these places (voice, tick); a loop's hits are written nowhere and all count.

    Parameters
    ----------
    a
        The side that was measured.
    found
        The comparison of all its hits.
    places
        Voice and tick of the hits that stay.

    Returns
    -------
    TimingComparison
        The comparison of these hits only.
    """
    if a.heard or not places:
        return found
    inside = np.array([(a.voices[v], t) in places for v, t in zip(a.voice_index, a.tick.tolist(), strict=True)])
    pairs = inside[found.a]
    only_a = found.only_a[inside[found.only_a]]
    return replace(found, a=found.a[pairs], b=found.b[pairs], gap_ms=found.gap_ms[pairs], only_a=only_a)


@dataclass(frozen=True)
class VoiceComparison:
    """Gather the pairs of one voice of side a.

    Each gap in ms, their mean and their mean size, and other_ms, how far the hits it is paired with are off the places
    written in a.
    """

    voice: str
    gaps_ms: Floats
    mean_ms: float
    mean_size_ms: float
    other_ms: Floats


def comparison_by_voice(a: Side, found: TimingComparison, tempo_bpm: float) -> list[VoiceComparison]:
    """Voices of `a` that have pairs, in its order.

    Parameters
    ----------
    a
        The side that was measured.
    found
        The comparison of its hits.
    tempo_bpm
        Quarter notes a minute.

    Returns
    -------
    list[VoiceComparison]
        Figures of each voice that has pairs.
    """
    rows, offsets_ms = [], a.offsets_ms(tempo_bpm)
    for index, voice in enumerate(a.voices):
        pairs = np.flatnonzero(a.voice_index[found.a] == index)
        own = found.gap_ms[pairs]
        if len(own):
            other_ms = offsets_ms[found.a[pairs]] + own
            rows.append(VoiceComparison(voice, own, float(own.mean()), float(np.abs(own).mean()), other_ms))
    return rows
