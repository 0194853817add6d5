"""Velocity as part of the feel: how loud ghosts are, how far accents stand out, and the weaker hand."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.pattern.pattern import HitArrays

GHOST_VELOCITY = 50  # up to here a hit is a ghost
HAND_VOICES = (("hat_closed", "hat_open"), ("ride",))  # what two hands play by turns, when it is fast
FAST_MS = 170.0  # one hand alone plays what is further apart (16ths up to 88 bpm)
WEAKER_LATE_MS = 3.0
WEAKER_SHARE = 0.85  # of the stronger hand's velocity

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


def level_dynamics(hits: HitArrays, settings: list[Feel], ghost: Ints, depth: Ints) -> None:
    """Fill the velocity steps of ghost level and accent depth. A voice's middle is the median of its other hits.

    Parameters
    ----------
    hits
        Hits as columns.
    settings
        The feel of each voice, by voice index.
    ghost
        Velocity steps of the ghost level, shape (n,); filled here.
    depth
        Velocity steps of the accent depth, shape (n,); filled here.
    """
    for index, setting in enumerate(settings):
        if setting.ghost_percent == 100.0 and setting.depth_percent == 100.0:
            continue
        mine = np.flatnonzero(hits.voice_index == index)
        velocity = hits.velocity[mine].astype(np.float64)
        quiet = velocity <= GHOST_VELOCITY
        level = (setting.ghost_percent if setting.ghost_percent is not None else 100.0) / 100.0
        ghost[mine[quiet]] = np.rint(velocity[quiet] * (level - 1.0)).astype(np.int64)
        if not quiet.all():
            stretch = (setting.depth_percent if setting.depth_percent is not None else 100.0) / 100.0 - 1.0
            apart = velocity[~quiet] - np.median(velocity[~quiet])
            depth[mine[~quiet]] = np.rint(apart * stretch).astype(np.int64)


def weaken_hand(
    hits: HitArrays, settings: list[Feel], tick_ms: float, velocity: Ints, late_ms: Floats, quieter: Ints
) -> None:
    """Fill the amounts of the weaker hand: every second place of a fast run on hats or ride.

    Places count, whichever hits are there. A run is fast where the next or the last hit of the hats is nearer than
    FAST_MS.

    Parameters
    ----------
    hits
        Hits as columns.
    settings
        The feel of each voice, by voice index.
    tick_ms
        Length of a tick in ms.
    velocity
        Velocity before this stage, 1 to 127, shape (n,).
    late_ms
        How much later each hit comes, in ms, shape (n,); filled here.
    quieter
        Velocity steps of each hit, shape (n,); filled here.
    """
    for family in HAND_VOICES:
        members = [index for index, voice in enumerate(hits.voices) if voice in family]
        asked = [index for index in members if settings[index].weaker_hand]
        if not asked:
            continue
        run = np.flatnonzero(np.isin(hits.voice_index, members))
        tick = hits.tick[run]
        struck, number = np.unique(tick, return_inverse=True)
        gaps_ms = np.diff(struck) * tick_ms
        nearest_ms = np.minimum(np.append(gaps_ms, np.inf), np.insert(gaps_ms, 0, np.inf))
        weak = (nearest_ms[number] < FAST_MS) & weaker_place(tick) & np.isin(hits.voice_index[run], asked)
        late_ms[run[weak]] = WEAKER_LATE_MS
        quieter[run[weak]] = np.rint(velocity[run[weak]] * (WEAKER_SHARE - 1.0)).astype(np.int64)


def weaker_place(tick: Ints) -> npt.NDArray[np.bool_]:
    """Places the weaker hand plays: every second 16th, triplet 16th or 32nd, counted from the beginning."""
    unit = np.select([tick % 240 == 0, tick % 160 == 0, tick % 120 == 0], [240, 160, 120], 0)
    return np.asarray((unit > 0) & (tick // np.maximum(unit, 1) % 2 == 1))
