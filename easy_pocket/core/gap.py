"""The gap between two performances, hit by hit: of a beat felt and straight, of two beats, of a beat and a loop."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.listen.groove import LANE_SHARE
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.pattern import HitArrays
from easy_pocket.core.perform import TIME_STAGES, VELOCITY_STAGES, Performance
from easy_pocket.core.timebase import ms_per_tick
from easy_pocket.core.voices import ROLES

BANDS = ("low", "mid", "high")

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Side:
    """Hits to compare, sorted by time. voices: what voice_index points into. time_ms: 0 up to length_ms, at one tempo.
    tick: the written place nearest to each. bands: shape (n, 3), whether a hit has to do with low, mid and high."""

    name: str
    voices: tuple[str, ...]
    voice_index: npt.NDArray[np.intp]
    time_ms: Floats
    tick: Ints
    velocity: Floats
    bands: npt.NDArray[np.bool_]
    length_ms: float
    heard: bool = False  # in audio: it has bands, no voices


def side_of(performance: Performance, name: str) -> Side:
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


def _band(voice: str) -> str:
    if voice in BANDS:
        return voice
    return ROLES[voice].band if voice in ROLES else "all"


def heard_performance(onsets: Onsets, reading: Reading, tempo_bpm: float) -> Performance:
    """What was heard in a loop as a performance at a tempo: its voices are the bands low, mid and high (each hit is of
    its strongest), written on the slots of the reading. Hits before its bar one are left out."""
    per_slot = reading.metre.bar_ticks / reading.slots_per_bar
    place = reading.slot_at(onsets.time_s)
    total = reading.slots_per_bar * reading.bars
    slot = np.floor(reading.nearest_places(place)).astype(np.int64)
    inside = (slot >= 0) & (slot <= total) if reading.trimmed else (slot >= 0) & (slot < total)
    place, slot = place[inside], slot[inside]
    wraps = slot >= total
    tick = np.rint(np.where(wraps, 0, slot) * per_slot).astype(np.int64)
    tick_ms = ms_per_tick(tempo_bpm)
    played_ms = (place - np.where(wraps, total, 0)) * per_slot * tick_ms
    order = np.argsort(tick, kind="stable")
    band = onsets.bands[inside].argmax(axis=1)[order]
    velocity = np.clip(np.rint(127 * onsets.strength[inside][order]), 1, 127).astype(np.int64)
    count = len(order)
    hits = HitArrays(BANDS, band, tick[order], velocity, np.zeros(count), np.zeros(count, dtype=np.int64))
    straight_ms = np.asarray(tick[order] * tick_ms, dtype=np.float64)
    amounts_ms = np.zeros((len(TIME_STAGES), count))
    amounts_ms[TIME_STAGES.index("own")] = played_ms[order] - straight_ms
    return Performance(
        hits=hits,
        tempo_bpm=tempo_bpm,
        length_ms=total * per_slot * tick_ms,
        metre=reading.metre,
        straight_ms=straight_ms,
        played_ms=played_ms[order],
        velocity=velocity,
        amounts_ms=amounts_ms,
        amounts_velocity=np.zeros((len(VELOCITY_STAGES), count), dtype=np.int64),
    )


def side_of_loop(onsets: Onsets, reading: Reading, name: str, tempo_bpm: float) -> Side:
    """What was heard in a loop, counted in its bars and brought to a tempo; hits know all bands they are of."""
    heard = side_of(heard_performance(onsets, reading, tempo_bpm), name)
    place = reading.slot_at(onsets.time_s)
    slot = np.floor(reading.nearest_places(place))
    total = reading.slots_per_bar * reading.bars
    inside = (slot >= 0) & (slot <= total if reading.trimmed else slot < total)
    position = np.argsort(np.mod(place[inside], total), kind="stable")
    return replace(heard, bands=onsets.bands[inside][position] >= LANE_SHARE, heard=True)


@dataclass(frozen=True)
class Gap:
    """Hits of one side with the nearest of the other. a, b: shape (n,), indices of the pairs; gap_ms: b minus a,
    positive where b is later. only_a, only_b: indices of hits that have none within half a slot."""

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
        """The widest pairs, as indices into a, b and gap_ms; the widest first."""
        return np.argsort(-np.abs(self.gap_ms), kind="stable")[:count]


def gap(a: Side, b: Side, half_slot_ms: float) -> Gap:
    """Pair every hit of `a` with the nearest of `b` in the same voice (of a loop: in the voice's band, or at all when
    the loop has nothing in it), round the loop's end. Sides of different length repeat: the longer one is measured.

    Raises BadValueError when the lengths have nothing to do with each other (neither is a multiple of the other).
    """
    longer, shorter = (a, b) if a.length_ms >= b.length_ms else (b, a)
    times = longer.length_ms / shorter.length_ms
    if abs(times - round(times)) > 1e-6:
        raise BadValueError(
            f"{a.name} and {b.name} are {a.length_ms / 1000:.2f} and {b.length_ms / 1000:.2f} s long, and neither "
            "fits into the other a whole number of times: compare bars of one length."
        )
    if shorter is a:
        turned = gap(b, a, half_slot_ms)
        return Gap(turned.b, turned.a, -turned.gap_ms, turned.only_b, turned.only_a)
    pairs: list[tuple[npt.NDArray[np.intp], npt.NDArray[np.intp], Floats]] = []
    none = np.zeros(0, dtype=np.intp)
    for mine, theirs in _families(a, b):
        left = np.setdiff1d(mine, np.concatenate([none, *(pair[0] for pair in pairs)]))
        pairs.append(_pairs(a, b, left, theirs, half_slot_ms))
    at, to = (np.concatenate([none, *(pair[n] for pair in pairs)]) for n in (0, 1))
    gaps_ms = np.concatenate([np.zeros(0), *(pair[2] for pair in pairs)])
    order = np.argsort(at, kind="stable")
    return Gap(
        at[order],
        to[order],
        gaps_ms[order],
        np.setdiff1d(np.arange(len(a.time_ms)), at),
        np.setdiff1d(np.arange(len(b.time_ms)), to),
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
    """b repeats within a."""
    if not len(mine) or not len(theirs):
        return mine[:0], theirs[:0], np.zeros(0)
    at_ms = np.mod(a.time_ms[mine], b.length_ms)
    times_ms = b.time_ms[theirs]
    after = np.searchsorted(times_ms, at_ms) % len(times_ms)
    before = (after - 1) % len(times_ms)
    apart = [_round(times_ms[which] - at_ms, b.length_ms) for which in (before, after)]
    first = np.abs(apart[0]) <= np.abs(apart[1])
    gap_ms = np.where(first, apart[0], apart[1])
    near = np.abs(gap_ms) <= half_slot_ms
    return mine[near], theirs[np.where(first, before, after)][near], gap_ms[near]


def _round(ms: Floats, length_ms: float) -> Floats:
    return np.asarray((ms + length_ms / 2) % length_ms - length_ms / 2)
