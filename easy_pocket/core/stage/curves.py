"""Curves over the music's time: a duck that steps back for hits, a gate opened by steps, a slow sway.

Each is a list of times in s and values, straight between them: the page and the file follow the same lines. They come
from the played times, so nothing that follows them moves a hit.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.core.sound.tones import RATE_HZ

Floats = npt.NDArray[np.floating]
EDGE_POINTS = 12  # of an attack or a release
STEP_S = 0.002  # least distance of two points of a duck
POINTS_A_TURN = 48  # of a sway
SHARP_S = 0.004  # how long a saw or a square takes to jump: no click


@dataclass(frozen=True)
class Curve:
    """times_s: ascending, from 0 to the length; values: as many, straight between them."""

    times_s: Floats
    values: Floats

    def at(self, frames: int, before_s: float = 0.0) -> Floats:
        """The value at each frame; the first one before the curve begins, so many seconds in."""
        return np.asarray(np.interp(np.arange(frames) / RATE_HZ - before_s, self.times_s, self.values))


def closed(curve: Curve) -> Curve:
    """For a loop: what does not come round by itself goes back to its first value at the very end, without a step."""
    times, values = curve.times_s, curve.values
    if abs(values[-1] - values[0]) < 1e-9 or times[-1] <= 2 * SHARP_S:
        return curve
    leaves = times[-1] - SHARP_S
    before = times < leaves
    at = float(np.interp(leaves, times, values))
    return Curve(
        np.concatenate([times[before], [leaves, times[-1]]]), np.concatenate([values[before], [at, values[0]]])
    )


def flat(value: float, length_s: float) -> Curve:
    """The same value all the time."""
    return Curve(np.array([0.0, length_s]), np.array([value, value]))


def duck_curve(
    times_s: Floats, velocities: Floats, settings: Mapping[str, Any], length_s: float, *, loops: bool
) -> Curve:
    """The gain of a duck by hits at times_s (0 <= t < length).

    From each hit: down by a raised cosine that begins `ahead_ms` before it, held, back by another; where several
    overlap the deepest counts. loops: what begins before the end goes on at the start.

    Parameters
    ----------
    times_s
        Hits in seconds, 0 or more and less than the length.
    velocities
        Velocity of each hit, 1 to 127.
    settings
        Values of the unit by field.
    length_s
        Length of the music in seconds.
    loops
        Whether what begins before the end goes on at the start.

    Returns
    -------
    Curve
        Points in seconds with their gains.
    """
    depth_db = float(settings["depth_db"])
    if not len(times_s) or depth_db == 0:
        return flat(1.0, length_s)
    attack, hold = settings["attack_ms"] / 1000, settings["hold_ms"] / 1000
    release, ahead = settings["release_ms"] / 1000, settings["ahead_ms"] / 1000
    by_velocity = settings["velocity_percent"] / 100
    depths = depth_db * (1 - by_velocity + by_velocity * velocities / 127)
    starts = times_s - ahead
    if loops:
        starts = np.concatenate([starts - length_s, starts, starts + length_s])
        depths = np.tile(depths, 3)
    shares = np.linspace(0, 1, EDGE_POINTS)
    rising = 0.5 - 0.5 * np.cos(np.pi * shares)
    after = np.concatenate([shares * attack, attack + hold + shares * release])
    amounts = np.concatenate([rising, rising[::-1]])
    points = np.unique(np.round((starts[:, None] + after[None, :]).ravel(), 6))
    points = points[(points > 0) & (points < length_s)]
    points = np.concatenate([[0.0], points[np.concatenate([[True], np.diff(points) > 1e-5])], [length_s]])
    deepest = np.zeros(len(points))
    reach = float(after[-1])
    order = np.argsort(starts)
    starts, depths = starts[order], depths[order]
    first = np.searchsorted(points, starts, "left")
    last = np.searchsorted(points, starts + reach, "right")
    for start, depth, low, high in zip(starts, depths, first, last, strict=True):
        own = depth * np.interp(points[low:high] - start, after, amounts)
        np.minimum(deepest[low:high], own, out=deepest[low:high])
    return Curve(points, 10 ** (deepest / 20))


@dataclass(frozen=True)
class BeatMap:
    """Where beats (quarter notes) fall: beats and times_s ascend together, straight between them.

    The first of both is 0, the last is the end.
    """

    beats: Floats
    times_s: Floats

    @classmethod
    def steady(cls, beat_s: float, length_s: float) -> BeatMap:
        return cls(np.array([0.0, length_s / beat_s]), np.array([0.0, length_s]))

    @property
    def length_s(self) -> float:
        return float(self.times_s[-1])

    @property
    def beat_s(self) -> float:
        """How long a beat is at the start."""
        return float((self.times_s[1] - self.times_s[0]) / (self.beats[1] - self.beats[0]))

    def time_s(self, beats: npt.NDArray[np.floating]) -> Floats:
        return np.asarray(np.interp(beats, self.beats, self.times_s))


def step_times_s(settings: Mapping[str, Any], beats: BeatMap) -> Floats:
    """When the steps of a line that are "1" fall, in s, round and round from the first beat; "": never."""
    marked = np.flatnonzero(np.array(list(str(settings["steps"]))) == "1")
    if not len(marked):
        return np.zeros(0)
    step_beats, length = float(settings["step_beats"]), len(str(settings["steps"]))
    turns = np.arange(int(beats.beats[-1] / step_beats / length) + 1)
    at = np.sort((turns[:, None] * length + marked[None, :]).ravel()) * step_beats
    return beats.time_s(at[at < beats.beats[-1] - 1e-9])


def gate_curve(settings: Mapping[str, Any], beats: BeatMap) -> Curve:
    """The gain of a gate: its line of steps ("1" open, "0" closed) round and round from the first beat."""
    steps = [step == "1" for step in str(settings["steps"])]
    step_beats = float(settings["step_beats"])
    first = int(np.floor(beats.beats[0] / step_beats + 1e-9))
    last = int(np.ceil(beats.beats[-1] / step_beats - 1e-9))
    edges_s = beats.time_s(np.arange(first, last + 1) * step_beats)
    closed = 10 ** (float(settings["closed_db"]) / 20)
    attack, release = settings["attack_ms"] / 1000, settings["release_ms"] / 1000
    open_now = steps[(last - 1) % len(steps)]  # as at the end: it goes round
    level = 1.0 if open_now else closed
    times, values = [0.0], [level]
    for number, (at, until) in enumerate(zip(edges_s[:-1].tolist(), edges_s[1:].tolist(), strict=True), first):
        wanted = steps[number % len(steps)]
        if wanted != open_now:
            takes = min(attack if wanted else release, until - at)
            goal = 1.0 if wanted else closed
            times += [at, at + takes]
            values += [level, goal]
            level, open_now = goal, wanted
    times.append(beats.length_s)
    values.append(level)
    return Curve(np.array(times), np.array(values))


def sway_wave(settings: Mapping[str, Any], beats: BeatMap) -> Curve:
    """The movement itself, -1 to 1: sine, triangle, saw (falling) or square, `every_beats` long, from its phase."""
    period = float(settings["every_beats"])
    edge = SHARP_S / beats.beat_s / period
    phase = settings["phase_percent"] / 100
    shape = settings["shape"]
    # Corners exactly where they are, whatever the length is.
    corners = {
        "sine": np.linspace(0, 1, POINTS_A_TURN, endpoint=False),
        "triangle": np.array([0.0, 0.25, 0.75]),
        "saw": np.array([0.0, edge]),
        "square": np.array([0.0, edge, 0.5, 0.5 + edge]),
    }[shape]
    turns = np.arange(np.floor(beats.beats[0] / period + phase) - 1, np.ceil(beats.beats[-1] / period + phase) + 1)
    times = ((turns[:, None] + corners[None, :]) - phase).ravel() * period
    inside = times[(times > beats.beats[0]) & (times < beats.beats[-1])]
    times = np.concatenate([[beats.beats[0]], inside, [beats.beats[-1]]])
    place = np.mod(times / period + phase, 1.0)
    values = {
        "sine": lambda: np.sin(2 * np.pi * place),
        "triangle": lambda: 1 - 4 * np.abs(np.mod(place + 0.25, 1.0) - 0.5),
        "saw": lambda: np.where(place < edge, -1 + 2 * place / edge, 1 - 2 * (place - edge) / (1 - edge)),
        "square": lambda: np.clip(np.where(place < 0.5, -1 + 2 * place / edge, 1 - 2 * (place - 0.5) / edge), -1, 1),
    }[shape]()
    return Curve(beats.time_s(times), np.asarray(values))
