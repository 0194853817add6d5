"""From played hits to strokes: ornaments carried out, and which hits sound in a pass of the loop.

A hit without ornament is one stroke. Grace strokes come before their hit; the strokes of a ratchet or roll begin with
it and bend with the swing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.stages import MIN_GAP_MS, swung
from easy_pocket.core.keyed_random import uniform
from easy_pocket.core.pattern.articulation import FIRST_PASS, Articulation
from easy_pocket.core.pattern.pattern import HitArrays, Pattern
from easy_pocket.core.pattern.timebase import ms_per_tick

GRACE_VELOCITY = 0.45  # of the hit they lead to
GAP_RATIO = 0.78  # from one gap to the next when strokes accelerate
ODDS_CYCLE = 8  # passes after which chance begins again in a loop

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Strokes:
    """What sounds, as columns in the order of the hits: `hit` points into the performance's hits.

    time_ms: shape (n,), from the pattern's start, negative before it. length_ms is infinite for what rings out. room:
    0 to 1, what goes to the long room.
    """

    hit: Ints
    time_ms: Floats
    velocity: Ints
    tune_cents: Floats
    pan: Floats
    length_ms: Floats
    backwards: npt.NDArray[np.bool_]
    fade_ms: Floats
    room: Floats

    def loop_ms(self, length_ms: float) -> Floats:
        """When each sounds within the loop: what is early wraps to its end."""
        wrapped = np.mod(self.time_ms, length_ms)
        return np.where(wrapped >= length_ms, 0.0, wrapped)


def pass_cycle(pattern: Pattern) -> int:
    """Count the passes after which a loop of the pattern repeats.

    What only the first pass has is not counted.

    Returns
    -------
    int
        1 when every pass is the same.

    Examples
    --------
    >>> from easy_pocket.core.pattern.articulation import Articulation
    >>> from easy_pocket.core.pattern.pattern import Hit, Pattern
    >>> every_third = Hit("crash", 0, 110, articulation=Articulation(passes=3))
    >>> pass_cycle(Pattern(3840, (every_third, Hit("kick", 960, 110))))
    3
    """
    arts = [articulation for _, articulation in pattern.arrays.articulated if articulation.depends_on_pass]
    periods = [articulation.passes for articulation in arts if articulation.passes > FIRST_PASS]
    periods += [ODDS_CYCLE] if any(articulation.odds_percent < 100 for articulation in arts) else []
    return min(math.lcm(*periods), 48) if periods else 1


def first_pass_differs(pattern: Pattern) -> bool:
    """Say whether some hits sound in the first pass only."""
    return any(articulation.passes == FIRST_PASS for _, articulation in pattern.arrays.articulated)


def sounding(hits: HitArrays, pass_number: int, seed: int) -> npt.NDArray[np.bool_]:
    """Which hits sound in a pass, counted from 1; chance is keyed by voice, place and pass.

    Parameters
    ----------
    hits
        Hits as columns.
    pass_number
        Which time round, counted from 1.
    seed
        Whole number; the same one gives the same result.

    Returns
    -------
    npt.NDArray[np.bool_]
        True for each hit that sounds, shape (n,).
    """
    heard = np.ones(len(hits.tick), dtype=bool)
    for index, articulation in hits.articulated:
        if articulation.passes == FIRST_PASS:
            heard[index] = pass_number == 1
        elif articulation.passes:
            heard[index] = pass_number % articulation.passes == 0
        if articulation.odds_percent < 100:
            voice = hits.voices[hits.voice_index[index]]
            chance = uniform(seed, f"odds {voice}", hits.tick[index : index + 1], np.array([pass_number]))
            heard[index] &= chance[0] * 100 < articulation.odds_percent
    return heard


def strokes(performance: Performance, pass_number: int | None = None, seed: int = 0) -> Strokes:
    """The strokes of one pass (counted from 1), or of every hit there is when None.

    Parameters
    ----------
    performance
        Hits as they are played.
    pass_number
        Which time round, counted from 1; None for every hit there is.
    seed
        Whole number; the same one gives the same result.

    Returns
    -------
    Strokes
        One row for each stroke, flams, drags, ratchets and rolls written out.
    """
    hits = performance.hits
    count = len(hits.tick)
    heard = np.ones(count, dtype=bool) if pass_number is None else sounding(hits, pass_number, seed)
    if performance.heard is not None:
        heard &= performance.heard
    plain = _plain(performance)
    if not hits.articulated:
        return plain if heard.all() else _only(plain, heard)
    tick_ms = ms_per_tick(performance.tempo_bpm)
    times, velocities = [plain.time_ms], [plain.velocity.astype(np.float64)]
    owners = [plain.hit]
    for index, articulation in hits.articulated:
        plain.tune_cents[index] = articulation.tune_cents
        plain.pan[index] = articulation.pan
        plain.room[index] = articulation.room_percent / 100
        plain.backwards[index], plain.fade_ms[index] = articulation.backwards, articulation.fade_ms
        if articulation.length_ticks:
            plain.length_ms[index] = articulation.length_ticks * tick_ms
            if articulation.into:
                plain.length_ms[index] = _until_hit_ms(performance, index, articulation, tick_ms)
        if not articulation.ornament or not heard[index]:
            continue
        more_ms, more_velocity = _ornament(performance, index, articulation, tick_ms)
        times.append(more_ms)
        velocities.append(more_velocity)
        owners.append(np.full(len(more_ms), index))
    hit, time_ms = np.concatenate(owners), np.concatenate(times)
    velocity = np.clip(np.rint(np.concatenate(velocities)), 1, 127).astype(np.int64)
    keep = heard[hit] & _apart(hits.voice_index[hit], time_ms, np.arange(len(hit)) < count, heard[hit])
    hit, time_ms, velocity = hit[keep], time_ms[keep], velocity[keep]
    order = np.lexsort((time_ms, hit))
    hit = hit[order]
    return replace(_only(plain, hit), hit=hit, time_ms=time_ms[order], velocity=velocity[order])


def _plain(performance: Performance) -> Strokes:
    """One stroke for each hit, with nothing but its time and velocity."""
    count = len(performance.hits.tick)
    return Strokes(
        hit=np.arange(count),
        time_ms=performance.played_ms,
        velocity=performance.velocity,
        tune_cents=np.zeros(count),
        pan=np.zeros(count),
        length_ms=np.full(count, np.inf),
        backwards=np.zeros(count, dtype=bool),
        fade_ms=np.zeros(count),
        room=np.zeros(count),
    )


def _until_hit_ms(performance: Performance, index: int, articulation: Articulation, tick_ms: float) -> float:
    """Give how long a sound runs backwards: to the played time of the hit it leads to, so that feel moves both.

    Where that stands no longer, for its written length.
    """
    hits, written_ms = performance.hits, articulation.length_ticks * tick_ms
    end = int(hits.tick[index]) + articulation.length_ticks
    whole = round(performance.length_ms / tick_ms)
    there = (hits.tick == end) | (hits.tick == end - whole)
    if articulation.into in hits.voices:
        there &= hits.voice_index == hits.voices.index(articulation.into)
    else:
        there[:] = False
    if not there.any():
        return float(written_ms)
    to = int(np.flatnonzero(there)[0])
    wraps_ms = performance.length_ms if hits.tick[to] != end else 0.0
    until_ms = float(performance.played_ms[to] + wraps_ms - performance.played_ms[index])
    return until_ms if until_ms > 0 else float(written_ms)


def _only(struck: Strokes, kept: npt.NDArray[np.bool_] | Ints) -> Strokes:
    return Strokes(
        struck.hit[kept],
        struck.time_ms[kept],
        struck.velocity[kept],
        struck.tune_cents[kept],
        struck.pan[kept],
        struck.length_ms[kept],
        struck.backwards[kept],
        struck.fade_ms[kept],
        struck.room[kept],
    )


def _ornament(
    performance: Performance, index: int, articulation: Articulation, tick_ms: float
) -> tuple[Floats, Floats]:
    """Times and velocities of the strokes an ornament adds to its hit."""
    played, velocity = float(performance.played_ms[index]), float(performance.velocity[index])
    if articulation.ornament in ("flam", "drag"):
        graces = np.array([2.0, 1.0] if articulation.ornament == "drag" else [1.0])
        return played - graces * articulation.grace_ms, velocity * GRACE_VELOCITY * np.ones(len(graces))
    share = stroke_shares(articulation.strokes, articulation.spacing)[1:]
    tick = float(performance.hits.tick[index])
    pair, swing_share = performance.swing[performance.hits.voice_index[index]]
    at = tick + share * articulation.span_ticks
    moved = swung(np.append(at, tick), np.full(len(at) + 1, pair), np.full(len(at) + 1, swing_share))
    bent = (at - tick) + moved[:-1] - moved[-1]
    along = np.arange(1, articulation.strokes) / (articulation.strokes - 1)
    return played + bent * tick_ms, velocity + articulation.swell * along


def stroke_shares(count: int, spacing: str) -> Floats:
    """Where `count` strokes lie in their span, from 0 up to but not reaching 1; the gap after the last one counts."""
    ratio = {"even": 1.0, "accelerating": GAP_RATIO, "slowing": 1 / GAP_RATIO}[spacing]
    gaps = ratio ** np.arange(count, dtype=np.float64)
    return np.asarray(np.concatenate([[0.0], np.cumsum(gaps)[:-1]]) / gaps.sum())


def _apart(
    voice: Ints, time_ms: Floats, own: npt.NDArray[np.bool_], heard: npt.NDArray[np.bool_]
) -> npt.NDArray[np.bool_]:
    """Which strokes stay: an added one gives way to a hit, or an earlier added one, of its voice within MIN_GAP_MS."""
    keep = np.ones(len(time_ms), dtype=bool)
    for index in np.unique(voice[~own & heard]).tolist():
        mine = np.flatnonzero((voice == index) & heard)
        hits_ms = np.sort(time_ms[mine[own[mine]]])
        added = mine[~own[mine]]
        added = added[np.argsort(time_ms[added], kind="stable")]
        place = np.searchsorted(hits_ms, time_ms[added])
        before = np.where(place > 0, time_ms[added] - hits_ms[np.maximum(place - 1, 0)], np.inf)
        after = np.where(place < len(hits_ms), hits_ms[np.minimum(place, len(hits_ms) - 1)] - time_ms[added], np.inf)
        crowded = np.minimum(before, after) < MIN_GAP_MS - 1e-9
        last = -np.inf
        for stroke, close in zip(added.tolist(), crowded.tolist(), strict=True):
            if close or time_ms[stroke] - last < MIN_GAP_MS - 1e-9:
                keep[stroke] = False
            else:
                last = float(time_ms[stroke])
    return keep
