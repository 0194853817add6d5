"""Where the notes of a MIDI file are written: on a slot, with what is left as their own offset."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from easy_pocket.core.formats.midi_drums import Note
from easy_pocket.core.formats.midi_swing import Swing
from easy_pocket.core.pattern.articulation import MAX_SPAN_TICKS, PLAIN, Articulation
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import GRID_TICKS, PPQ, ms_per_tick

Ints = npt.NDArray[np.int64]
FINE_TICKS = 4  # 2-3 ms: what a file's own resolution can be off by


def split_places(
    notes: Sequence[Note],
    tempo_bpm: float,
    length_ticks: int,
    swing: Swing | None = None,
    *,
    in_feel: bool = False,
) -> tuple[Hit, ...]:
    """Notes to hits: slot plus own offset, none lost.

    A note on a slot of any grid is written there; on one of five, seven or twelve a beat only where its voice plays
    two or three of a beat, for a single one is more likely swung. With a swing, what it moves is written on the 8th
    or 16th that it moves. Others go to the nearest slot of the grid that suits the file best, with what
    is left as their own offset; where a voice already has a hit there, to the nearest free tick.

    Parameters
    ----------
    notes
        Tick, voice and velocity of each note.
    tempo_bpm
        Quarter notes a minute.
    length_ticks
        Length of the pattern in ticks.
    swing
        What the notes swing by, as `found_swing` tells.
    in_feel
        Whether a feel will play that swing: then offsets are what is left beside it.

    Returns
    -------
    tuple[Hit, ...]
        As many hits as notes.
    """
    ticks = np.array([note.tick for note in notes], dtype=np.int64)
    straight = ticks if swing is None else _unswung(ticks, swing)
    slots = _slots(straight, [note.voice for note in notes])
    tick_ms = ms_per_tick(tempo_bpm)
    taken: set[tuple[str, int]] = set()
    placed: dict[str, list[list[int]]] = {}
    for (tick, voice, velocity, length), slot in zip(notes, slots.tolist(), strict=True):
        place = slot if slot < length_ticks else length_ticks - 1
        if (voice, place) in taken or abs(tick - place) * tick_ms > 200.0:
            place = _free_tick(voice, min(tick, length_ticks - 1), length_ticks, taken)
        taken.add((voice, place))
        placed.setdefault(voice, []).append([tick, place, velocity, length])
    for rows in placed.values():
        _in_order_of_time(rows, length_ticks)
    played, places = np.array([row[:2] for rows in placed.values() for row in rows], dtype=np.int64).reshape(-1, 2).T
    left = played - places - (swing.moves(places) if swing and in_feel else 0.0)
    offsets = iter((left * tick_ms).tolist())
    return tuple(
        Hit(voice, place, velocity, next(offsets), articulation=_stopped(length))
        for voice, rows in placed.items()
        for _, place, velocity, length in rows
    )


def _stopped(length_ticks: int) -> Articulation:
    return Articulation(length_ticks=min(length_ticks, MAX_SPAN_TICKS)) if length_ticks else PLAIN


def _unswung(ticks: Ints, swing: Swing) -> Ints:
    """Where they would lie without their swing: each pair bent back."""
    pair, share = swing.pair_ticks, swing.percent / 100
    phase = (ticks % pair) / pair
    back = np.where(phase < share, phase / (2 * share), 0.5 + (phase - share) / (2 * (1 - share)))
    return np.asarray(np.rint(ticks - ticks % pair + back * pair), dtype=np.int64)


def _slots(ticks: Ints, voices: list[str]) -> Ints:
    """The slot of each note."""
    on_grid = np.zeros(len(ticks), dtype=bool)
    slots = ticks.copy()
    quint = GRID_TICKS["quint"]
    # Those a single note is hardly on come last: what another grid explains is none of theirs.
    for step in sorted(set(GRID_TICKS.values()) - {quint}):
        nearest = np.rint(ticks / step).astype(np.int64) * step
        close = ~on_grid & (np.abs(ticks - nearest) <= FINE_TICKS)
        slots[close] = nearest[close]
        on_grid |= close
    for a_beat, least in ((PPQ // quint, 2), (12, 2), (7, 3)):
        nearest = np.rint(np.rint(ticks * a_beat / PPQ) * PPQ / a_beat).astype(np.int64)
        close = ~on_grid & (np.abs(ticks - nearest) <= FINE_TICKS)
        close &= _in_company(voices, nearest, close, least)
        slots[close] = nearest[close]
        on_grid |= close
    if not on_grid.all():
        loose = ~on_grid
        grids = (GRID_TICKS["16"], GRID_TICKS["8T"], GRID_TICKS["16T"], GRID_TICKS["32"])
        distance = [np.abs(ticks - np.rint(ticks / step) * step).mean() / step for step in grids]
        step = grids[int(np.argmin(distance))]
        slots[loose] = np.rint(ticks[loose] / step).astype(np.int64) * step
    return slots


def _in_order_of_time(rows: list[list[int]], length_ticks: int) -> None:
    """Notes of one voice as [tick, place, velocity, length] in order of time.

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


def _in_company(voices: list[str], slots: Ints, close: npt.NDArray[np.bool_], least: int) -> npt.NDArray[np.bool_]:
    """Which of the close notes are one of so many of their voice in the same beat, each on another slot of it."""
    inner = close & (slots % PPQ > 0)
    beats: dict[tuple[str, int], set[int]] = {}
    for voice, slot, wanted in zip(voices, slots.tolist(), inner.tolist(), strict=True):
        if wanted:
            beats.setdefault((voice, slot // PPQ), set()).add(slot)
    found = [
        len(beats.get((voice, slot // PPQ), ())) >= least for voice, slot in zip(voices, slots.tolist(), strict=True)
    ]
    return np.array(found, dtype=bool)


def _free_tick(voice: str, tick: int, length_ticks: int, taken: set[tuple[str, int]]) -> int:
    """The first free tick from here on, or if the end is reached the last free one before."""
    later = next((place for place in range(tick, length_ticks) if (voice, place) not in taken), None)
    if later is not None:
        return later
    return next(place for place in range(tick, -1, -1) if (voice, place) not in taken)
