"""Shapes drawn over the values of many hits at once: lines, waves, chance in a band, scaling, accent figures."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
import numpy.typing as npt
from annotated_types import MaxLen

from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.keyed_random import uniform
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.pattern_edit import Number, PatternEdit, Places, Seed, Tick, Word
from easy_pocket.core.pattern.selection_edits import VALUE_NAMES, VALUE_RANGES, SetValues, value_of
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.pattern.voices import voice_name

SHAPES = (
    "line",
    "curve",
    "wave",
    "steps",
    "random",
    "scale",
    "compress",
    "tilt",
    "shift",
    "accents",
    "fixed",
    "limit",
    "humanize",
)
FIGURES = ("strong beats", "off-beats", "3 over 4", "own")
WHOLE = ("velocity", "tune_cents", "strokes", "odds_percent", "room_percent")

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Shape(PatternEdit, kind="shape"):
    """A shape over one value of these hits.

    line, curve: from `start` to `end`, the curve bent by `bend` (-1 to 1). wave: between them, `count` times.
    steps: `weights` as values, one after another. random: anywhere from `start` to `end`, by `seed`.
    scale: by `amount` percent of what it is. compress: `amount` percent toward the mean (negative: away from it).
    fixed: all to `start`. limit: none below `start` or above `end`. humanize: up to `amount` either way by `seed`, the
    order of loud and quiet kept. tilt: the first hit down and the last one up by `amount`. shift: all by `amount`.
    accents: `figure`, or `weights` (-1 to 1 for each slot of a bar) when it is "own", times `amount`.
    """

    field: Word
    places: Places
    shape: Word
    start: Number = 0.0
    end: Number = 0.0
    bend: Number = 0.0
    count: Number = 1.0
    amount: Number = 0.0
    seed: Seed = 0
    figure: Word = ""
    weights: Annotated[tuple[Number, ...], MaxLen(64)] = ()
    step_ticks: Tick = 240

    def applied(self, pattern: Pattern) -> Pattern:
        return shaped(pattern, self).applied(pattern)

    def description(self, pattern: Pattern) -> str:
        names = {voice for voice, _ in self.places}
        scope_name = voice_name(names.pop()) if len(names) == 1 else f"{len(self.places)} hits"
        what = self.figure if self.shape == "accents" else self.shape
        return f"{VALUE_NAMES.get(self.field, self.field)} of {scope_name}: {what}"


def shaped(pattern: Pattern, edit: Shape) -> SetValues:
    """The values the shape gives, as one edit. Values beyond their range stop at its ends.

    Raises EditRefusedError when nothing is chosen or a hit is gone, BadValueError for a shape there is none of.
    """
    if edit.field not in VALUE_RANGES:
        raise BadValueError(f"'{edit.field[:20]}' is no value of a hit; there are {', '.join(VALUE_RANGES)}.")
    hits = [hit for place in dict.fromkeys(edit.places) if (hit := pattern.by_place.get(place))]
    if not hits:
        raise EditRefusedError("Nothing is chosen: draw a frame round some hits first, or choose a row.")
    ticks = np.array([hit.tick for hit in hits], dtype=np.float64)
    now = np.array([value_of(hit, edit.field) for hit in hits])
    low, high, _ = VALUE_RANGES[edit.field]
    values = np.clip(_values(edit, ticks, now, hits, pattern.metre), low, high)
    values = np.rint(values) if edit.field in WHOLE else np.round(values, 3)
    rows = zip(hits, values.tolist(), strict=True)
    return SetValues(edit.field, tuple((hit.voice, hit.tick, value) for hit, value in rows), edit.step_ticks)


def _values(edit: Shape, ticks: Floats, now: Floats, hits: list[Hit], metre: Metre) -> Floats:
    span = ticks.max() - ticks.min()
    along = (ticks - ticks.min()) / span if span else np.zeros(len(ticks))
    low, high, _ = VALUE_RANGES[edit.field]
    for name, value in (("start", edit.start), ("end", edit.end)):
        if edit.shape in ("line", "curve", "wave", "random", "limit") or (edit.shape, name) == ("fixed", "start"):
            require_range(f"The {name} of the shape", value, low, high)
    match edit.shape:
        case "line":
            return np.asarray(edit.start + (edit.end - edit.start) * along)
        case "curve":
            require_range("The bend", edit.bend, -1, 1)
            return np.asarray(edit.start + (edit.end - edit.start) * along ** np.exp2(2.5 * edit.bend))
        case "wave":
            require_range("The number of waves", edit.count, 0.25, 64)
            middle, reach = (edit.start + edit.end) / 2, (edit.end - edit.start) / 2
            return np.asarray(middle - reach * np.cos(2 * np.pi * edit.count * along))
        case "steps":
            if not 1 <= len(edit.weights) <= 64:
                raise BadValueError(f"Steps need 1 to 64 values; {len(edit.weights)} came.")
            order = np.unique(ticks, return_inverse=True)[1]
            return np.asarray(np.array(edit.weights)[order % len(edit.weights)])
        case "fixed":
            return np.full(len(hits), edit.start)
        case "limit":
            if edit.start > edit.end:
                raise BadValueError(f"The lower limit {edit.start:g} lies above the upper one, {edit.end:g}.")
            return np.clip(now, edit.start, edit.end)
        case "humanize":
            require_range("The band", edit.amount, 0, (high - low) / 2)
            return now + edit.amount * _ordered_scatter(edit, hits, ticks, now)
        case "random":
            return np.asarray(edit.start + (edit.end - edit.start) * _drawn(edit, hits, ticks))
        case "scale":
            require_range("The scale", edit.amount, 0, 400, "%")
            return now * edit.amount / 100
        case "compress":
            require_range("The share toward the mean", edit.amount, -200, 100, "%")
            return np.asarray(now.mean() + (now - now.mean()) * (1 - edit.amount / 100))
        case "tilt":
            return now + edit.amount * (2 * along - 1)
        case "shift":
            return now + edit.amount
        case "accents":
            return now + edit.amount * accent_weights(edit.figure, edit.weights, ticks, metre)
        case _:
            raise BadValueError(f"There is no shape '{edit.shape[:20]}'; there are {', '.join(SHAPES)}.")


def _drawn(edit: Shape, hits: list[Hit], ticks: Floats) -> Floats:
    """A number in (0, 1) for every hit, keyed by its voice and place."""
    drawn = np.empty(len(hits))
    for voice in {hit.voice for hit in hits}:
        mine = [index for index, hit in enumerate(hits) if hit.voice == voice]
        drawn[mine] = uniform(edit.seed, f"band {edit.field} {voice}", ticks[mine].astype(np.int64))
    return drawn


def _ordered_scatter(edit: Shape, hits: list[Hit], ticks: Floats, now: Floats) -> Floats:
    """Shares of edit.amount, -1 to 1, none so far that a hit passes the next louder or quieter one of its voice."""
    shares = 2 * _drawn(edit, hits, ticks) - 1
    for voice in {hit.voice for hit in hits} if edit.amount else ():
        mine = np.array([index for index, hit in enumerate(hits) if hit.voice == voice])
        levels, level_of = np.unique(now[mine], return_inverse=True)
        room = np.diff(levels)
        if edit.field in WHOLE:
            room = room - 1  # whole numbers: two that were apart stay apart
        room = np.maximum(np.floor(room / 2) if edit.field in WHOLE else room * 0.499, 0) / edit.amount
        up, down = np.append(room, np.inf)[level_of], np.insert(room, 0, np.inf)[level_of]
        shares[mine] = np.clip(shares[mine], -down, up)
    return shares


def accent_weights(figure: str, weights: tuple[float, ...], ticks: Floats, metre: Metre) -> Floats:
    """Weights from -1 to 1 for every place.

    "strong beats": the bar's first beat 1, other beats by turns 0.2 and 0.6, between them down to -1. "off-beats":
    the half between beats up. "3 over 4": every third 16th.

    Parameters
    ----------
    figure
        Name of the figure.
    weights
        Values in turn, for the figure that is typed.
    ticks
        Places in ticks, shape (n,).
    metre
        Metre of the bars.

    Returns
    -------
    Floats
        Weights from -1 to 1, shape (n,).
    """
    inside = ticks % metre.bar_ticks
    pulse = metre.pulse_ticks
    beat, rest = np.floor(inside / pulse), inside % pulse
    on_beat, half = rest == 0, rest == (pulse // 3 * 2 if metre.compound else pulse // 2)
    if figure == "strong beats":
        strength = np.where(beat == 0, 1.0, np.where(beat % 2 == 0, 0.6, 0.2))
        return np.where(on_beat, strength, np.where(half, -0.5, -1.0))
    if figure == "off-beats":
        return np.where(half, 1.0, np.where(on_beat, -0.3, -1.0))
    if figure == "3 over 4":
        return np.where(ticks % 720 == 0, 1.0, -0.5)
    if figure == "own":
        if not 1 <= len(weights) <= 64:
            raise BadValueError(f"An accent figure needs 1 to 64 weights over a bar; {len(weights)} came.")
        slot = np.floor(inside / metre.bar_ticks * len(weights) + 1e-9).astype(int)
        return np.asarray(np.clip(np.array(weights), -1, 1)[slot])
    raise BadValueError(f"There is no accent figure '{figure[:20]}'; there are {', '.join(FIGURES)}.")
