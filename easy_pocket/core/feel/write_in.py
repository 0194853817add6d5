"""Hits written anew so that a feel plays them at given times."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
import numpy.typing as npt
from annotated_types import MaxLen

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.feel.perform import Performance, perform
from easy_pocket.core.pattern.lock_edits import keep_locks, lock_reason
from easy_pocket.core.pattern.pattern import MAX_OFFSET_MS, Hit, Pattern
from easy_pocket.core.pattern.pattern_edit import MAX_CHOSEN, PatternEdit, Place, Tick
from easy_pocket.core.pattern.timebase import ms_per_tick, place_name
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.core.text import counted

FINE_TICKS = 120  # what is too far off to be an own offset goes to the nearest place of this grid

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


def without_order(performance: Performance) -> Floats:
    """Played times before hits of a voice were kept apart."""
    return np.asarray(performance.straight_ms + performance.amounts_ms[:-1].sum(axis=0))


def chosen_hits(pattern: Pattern, places: tuple[Place, ...]) -> npt.NDArray[np.bool_]:
    """Which hits of a pattern lie on these places; none named, all."""
    wanted = set(places)
    if not wanted <= set(pattern.by_place):
        raise EditRefusedError("One of the chosen hits is gone; this is the pattern as it is now.")
    return np.array(
        [(not wanted or (hit.voice, hit.tick) in wanted) and not lock_reason(pattern, hit) for hit in pattern.hits]
    )


def placed(
    pattern: Pattern,
    feel: FeelScopes,
    tempo_bpm: float,
    which: npt.NDArray[np.intp],
    tick: Ints,
    to_ms: Floats,
    velocity: Ints | None = None,
) -> Pattern:
    """Write these hits (indices) on `tick` so that with this feel they are played at to_ms.

    tick, to_ms and velocity (as written; None: as it is) have a value for every hit of the pattern.

    An own offset beyond its range goes to the nearest 32nd; EditRefusedError when that place is taken.

    Parameters
    ----------
    pattern
        What is written.
    feel
        Settings of the stack, the part and its voices.
    tempo_bpm
        Quarter notes a minute.
    which
        Indices of the hits that move.
    tick
        Place of every hit of the pattern in ticks, shape (n,).
    to_ms
        When every hit is to be played, in ms, shape (n,).
    velocity
        Velocity of every hit as written, shape (n,); None leaves it.

    Returns
    -------
    Pattern
        The pattern with these hits moved.
    """
    old = [pattern.hits[index] for index in which.tolist()]
    tick = tick.copy()
    for _ in range(2):
        new = [
            replace(
                hit,
                tick=int(tick[index]),
                offset_ms=0.0,
                velocity=hit.velocity if velocity is None else int(velocity[index]),
            )
            for hit, index in zip(old, which.tolist(), strict=True)
        ]
        base = _moved(pattern, old, new)
        base_ms = _by_place(base, without_order(perform(base, feel, tempo_bpm=tempo_bpm)), new)
        own_ms = to_ms[which] - base_ms
        far = np.abs(own_ms) > MAX_OFFSET_MS
        if not far.any():
            break
        fine_ms = FINE_TICKS * ms_per_tick(tempo_bpm)
        steps = np.rint(own_ms[far] / fine_ms).astype(np.int64)
        tick[which[far]] = np.clip(tick[which[far]] + steps * FINE_TICKS, 0, pattern.length_ticks - 1)
    own = [replace(hit, offset_ms=float(ms)) for hit, ms in zip(new, own_ms, strict=True)]
    return _moved(pattern, old, own)


def _by_place(pattern: Pattern, times_ms: Floats, hits: Iterable[Hit]) -> Floats:
    at = {(hit.voice, hit.tick): index for index, hit in enumerate(pattern.hits)}
    return times_ms[[at[hit.voice, hit.tick] for hit in hits]]


def _moved(pattern: Pattern, old: list[Hit], new: list[Hit]) -> Pattern:
    left = set(map(id, old))
    kept = [hit for hit in pattern.hits if id(hit) not in left]
    places = {(hit.voice, hit.tick) for hit in kept}
    for hit in new:
        if (hit.voice, hit.tick) in places:
            where = place_name(hit.tick, pattern.metre)
            raise EditRefusedError(f"Two {voice_name(hit.voice)} hits would lie at {where}: remove one of them first.")
        places.add((hit.voice, hit.tick))
    same = {hit: hit for hit in old}
    return pattern.with_hits((*kept, *(same.get(hit, hit) for hit in new)))


def write_in(pattern: Pattern, feel: FeelScopes, tempo_bpm: float, after: FeelScopes, voices: Iterable[str]) -> Pattern:
    """Write these voices' hits so that the feel `after` plays them as they are played now (first pass).

    Parameters
    ----------
    pattern
        What is written.
    feel
        The feel by which it is played now.
    tempo_bpm
        Quarter notes a minute.
    after
        The feel by which it shall be played.
    voices
        Roles of the voices whose hits are written anew.

    Returns
    -------
    Pattern
        The pattern that `after` plays as `feel` played the old one.

    Raises
    ------
    EditRefusedError
        For locked hits.
    """
    now = perform(pattern, feel, tempo_bpm=tempo_bpm)
    of = [index for index, voice in enumerate(now.hits.voices) if voice in set(voices)]
    heard = np.ones(len(now.hits.tick), dtype=bool) if now.heard is None else now.heard
    mine = np.isin(now.hits.voice_index, of)
    which = np.flatnonzero(mine)
    if not (mine & heard).any():
        raise EditRefusedError("There are no hits to write the feel into yet.")
    written = placed(pattern, after, tempo_bpm, which, now.hits.tick, now.played_ms, now.velocity)
    if not heard[mine].all():  # what the density leaves out is not part of what is felt
        silent = {(pattern.hits[index].voice, pattern.hits[index].tick) for index in np.flatnonzero(mine & ~heard)}
        moved = placed(pattern, after, tempo_bpm, np.flatnonzero(mine & heard), now.hits.tick, now.played_ms,
                       now.velocity)  # fmt: skip
        written = moved.with_hits(hit for hit in moved.hits if (hit.voice, hit.tick) not in silent)
    return keep_locks(pattern, written)


@dataclass(frozen=True)
class StraightAgain(PatternEdit, kind="straight_again"):
    """These hits (none: all) on the nearest slot without an offset of their own; the feel stays.

    A hit off the grid goes to the slot that is nearest to its tick, if its voice has none there.
    """

    places: Annotated[tuple[Place, ...], MaxLen(MAX_CHOSEN)]
    step_ticks: Tick

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("The grid", self.step_ticks, 10, 3840, "ticks")
        chosen = chosen_hits(pattern, self.places)
        taken = set(pattern.by_place)
        old, new = [], []
        for hit, wanted in zip(pattern.hits, chosen.tolist(), strict=True):
            slot = round(hit.tick / self.step_ticks) * self.step_ticks
            free = slot < pattern.length_ticks and (hit.voice, slot) not in taken
            tick = slot if free else hit.tick
            if wanted and (tick, 0.0) != (hit.tick, hit.offset_ms):
                taken.add((hit.voice, tick))
                old.append(hit)
                new.append(replace(hit, tick=tick, offset_ms=0.0))
        if not old:
            raise EditRefusedError("Every one of these hits lies straight on the grid already.")
        return pattern.exchanged(old, new)

    def description(self, pattern: Pattern) -> str:
        return f"{counted(len(self.places), 'hit') if self.places else 'all hits'} straight again"
