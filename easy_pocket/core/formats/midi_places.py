"""Where the notes of a MIDI file are written: on a slot, with what is left as their own offset."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import numpy.typing as npt

from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import GRID_TICKS, PPQ, ms_per_tick

FINE_TICKS = 4  # 2-3 ms: what a file's own resolution can be off by


def split_places(notes: list[tuple[int, str, int]], tempo_bpm: float, length_ticks: int) -> tuple[Hit, ...]:
    """Notes as (tick, voice, velocity) to hits: slot plus own offset, none lost.

    A note on a slot of any grid is written there; on a quintuplet's only where its voice plays two of a beat, for a
    single one is more likely swung. Others go to the nearest slot of the grid that suits the file best, with what
    is left as their own offset; where a voice already has a hit there, to the nearest free tick.

    Parameters
    ----------
    notes
        Tick, voice and velocity of each note.
    tempo_bpm
        Quarter notes a minute.
    length_ticks
        Length of the pattern in ticks.

    Returns
    -------
    tuple[Hit, ...]
        As many hits as notes.
    """
    ticks = np.array([note[0] for note in notes], dtype=np.int64)
    # The quintuplets last: what another grid explains is no quintuplet.
    steps = sorted(set(GRID_TICKS.values()), key=lambda step: (step == GRID_TICKS["quint"], step))
    on_grid = np.zeros(len(ticks), dtype=bool)
    slots = ticks.copy()
    for step in steps:
        nearest = np.rint(ticks / step).astype(np.int64) * step
        close = ~on_grid & (np.abs(ticks - nearest) <= FINE_TICKS)
        if step == GRID_TICKS["quint"]:
            close &= _in_company([note[1] for note in notes], nearest, close)
        slots[close] = nearest[close]
        on_grid |= close
    if not on_grid.all():
        loose = ~on_grid
        grids = (GRID_TICKS["16"], GRID_TICKS["8T"], GRID_TICKS["16T"], GRID_TICKS["32"])
        distance = [np.abs(ticks - np.rint(ticks / step) * step).mean() / step for step in grids]
        step = grids[int(np.argmin(distance))]
        slots[loose] = np.rint(ticks[loose] / step).astype(np.int64) * step
    tick_ms = ms_per_tick(tempo_bpm)
    taken: set[tuple[str, int]] = set()
    placed: dict[str, list[list[int]]] = {}
    for (tick, voice, velocity), slot in zip(notes, slots.tolist(), strict=True):
        place = slot if slot < length_ticks else length_ticks - 1
        if (voice, place) in taken or abs(tick - place) * tick_ms > 200.0:
            place = _free_tick(voice, min(tick, length_ticks - 1), length_ticks, taken)
        taken.add((voice, place))
        placed.setdefault(voice, []).append([tick, place, velocity])
    for rows in placed.values():
        _in_order_of_time(rows, length_ticks)
    return tuple(
        Hit(voice, place, velocity, (tick - place) * tick_ms)
        for voice, rows in placed.items()
        for tick, place, velocity in rows
    )


def _in_order_of_time(rows: list[list[int]], length_ticks: int) -> None:
    """Notes of one voice as [tick, place, velocity] in order of time.

    Where two would swap their places, both are written where they are played.
    """
    swapped = True
    while swapped:
        swapped = False
        for one, other in pairwise(rows):
            if one[1] >= other[1] and (one[1], other[1]) != (one[0], other[0]) and one[0] < other[0] < length_ticks:
                one[1], other[1] = one[0], other[0]
                swapped = True
    taken: set[tuple[str, int]] = set()
    for row in rows:
        if ("", row[1]) in taken:
            row[1] = _free_tick("", min(row[0], length_ticks - 1), length_ticks, taken)
        taken.add(("", row[1]))


def _in_company(voices: list[str], slots: npt.NDArray[np.int64], close: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """Which of the close notes have another one of their voice in the same beat, on another of its quintuplet slots."""
    inner = close & (slots % PPQ > 0)
    beats: dict[tuple[str, int], set[int]] = {}
    for voice, slot, wanted in zip(voices, slots.tolist(), inner.tolist(), strict=True):
        if wanted:
            beats.setdefault((voice, slot // PPQ), set()).add(slot)
    found = [len(beats.get((voice, slot // PPQ), ())) > 1 for voice, slot in zip(voices, slots.tolist(), strict=True)]
    return np.array(found, dtype=bool)


def _free_tick(voice: str, tick: int, length_ticks: int, taken: set[tuple[str, int]]) -> int:
    """The first free tick from here on, or if the end is reached the last free one before."""
    later = next((place for place in range(tick, length_ticks) if (voice, place) not in taken), None)
    if later is not None:
        return later
    return next(place for place in range(tick, -1, -1) if (voice, place) not in taken)
