"""Grooves compared: how they lean, what they stress, how full they are; those alike, the opposite, and a map of all."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.template import GrooveTemplate

Floats = npt.NDArray[np.float64]
PLACES = 16  # of a bar at which grooves are compared, whatever their slots
LEAN, STRESS, FILL = 1.0, 0.5, 0.4  # how much each counts
LEAN_UNIT = 0.05  # of a beat: an offset so large is as much as an accent half as loud
STRAIGHT_MS = 2.0
SPREAD_OUT = 0.5  # how far points of the map are moved apart, that would lie on each other
EDGE = 0.06  # of the map left free round its points


@dataclass(frozen=True)
class GrooveFigures:
    """What one can say of a groove in numbers.

    swing: how much later off-beats come than beats, as a share of a beat. lean_ms: mean offset, negative is early.
    stress: standard deviation of its accents. fill: share of its slots in which something was heard.
    """

    swing: float
    lean_ms: float
    stress: float
    fill: float


@dataclass(frozen=True)
class Axis:
    """What an axis of the map means at its two ends."""

    low: str
    high: str


@dataclass(frozen=True)
class GrooveMap:
    """Places of grooves, shape (n, 2), each 0 to 1: across from the left, up from the foot; and what the axes mean."""

    places: Floats
    across: Axis
    up: Axis


AXES = {
    "swing": Axis("straight", "swung"),
    "lean_ms": Axis("ahead", "behind"),
    "stress": Axis("even", "accented"),
    "fill": Axis("sparse", "full"),
}


def figures(groove: GrooveTemplate) -> GrooveFigures:
    """The numbers of one groove.

    Examples
    --------
    >>> from easy_pocket.core.feel.template import Lane
    >>> late = GrooveTemplate("late", 100.0, 4, {"all": Lane((0.0, 12.0, 0.0, 12.0), (1.0, 0.5, 1.0, 0.5))})
    >>> figures(late).lean_ms, round(figures(late).stress, 2)
    (6.0, 0.25)
    """
    lane = groove.lanes["all"]
    beat_ms = 60_000.0 / groove.tempo_bpm
    offsets = _profile(lane.offsets, groove)
    places = np.arange(PLACES)
    beats = PLACES // 4
    off = places % beats != 0
    return GrooveFigures(
        swing=float((offsets[off].mean() - offsets[~off].mean()) / beat_ms),
        lean_ms=float(lane.offsets.mean()),
        stress=float(lane.accents.std()),
        fill=float(1.0 - np.mean(lane.guessed)),
    )


def _profile(values: Floats, groove: GrooveTemplate) -> Floats:
    """A line of slots at PLACES places of one bar, the mean of its bars; between slots by linear interpolation."""
    bar = values.reshape(groove.bars, groove.slots_per_bar).mean(axis=0)
    at = np.arange(PLACES) / PLACES * groove.slots_per_bar
    before = np.floor(at).astype(np.intp)
    share = at - before
    return np.asarray(bar[before] * (1 - share) + bar[(before + 1) % groove.slots_per_bar] * share)


def picture(groove: GrooveTemplate) -> Floats:
    """What grooves are compared by: offsets and accents at 16 places of a bar, and how full it is, shape (33,)."""
    lane = groove.lanes["all"]
    beat_ms = 60_000.0 / groove.tempo_bpm
    offsets = _profile(lane.offsets, groove) / beat_ms / LEAN_UNIT
    accents = _profile(lane.accents, groove)
    fill = np.array([1.0 - float(np.mean(lane.guessed))]) * PLACES**0.5
    return np.concatenate([LEAN * offsets, STRESS * (accents - accents.mean()) * 4, FILL * fill])


def alike(grooves: Sequence[GrooveTemplate], chosen: int) -> Floats:
    """How like the chosen groove each is, 0 to 1; itself 1."""
    pictures = np.stack([picture(groove) for groove in grooves])
    apart = np.sqrt(((pictures - pictures[chosen]) ** 2).mean(axis=1))
    return np.asarray(np.exp(-apart))


def opposed(grooves: Sequence[GrooveTemplate], chosen: int) -> Floats:
    """How far each is the opposite of the chosen one, 0 to 1.

    Its opposite leans early where it leans late, and stresses what it passes over.
    """
    pictures = np.stack([picture(groove) for groove in grooves])
    mirrored = -pictures[chosen]
    mirrored[-1] = pictures[chosen][-1]
    apart = np.sqrt(((pictures - mirrored) ** 2).mean(axis=1))
    found = np.exp(-apart)
    found[chosen] = 0.0
    return np.asarray(found)


def groove_map(grooves: Sequence[GrooveTemplate]) -> GrooveMap:
    """Lay grooves out so that those alike lie near each other.

    Parameters
    ----------
    grooves
        Any number of them.

    Returns
    -------
    GrooveMap
        The two directions in which their pictures differ most (principal components); each named after the figure that
        goes with it best, and turned so that this grows to the right or upwards.
    """
    count = len(grooves)
    if count < 3:
        line = np.full((count, 2), 0.5)
        line[:, 0] = np.linspace(0.3, 0.7, count) if count > 1 else 0.5
        return GrooveMap(line, AXES["swing"], AXES["lean_ms"])
    pictures = np.stack([picture(groove) for groove in grooves])
    centred = pictures - pictures.mean(axis=0)
    left, sizes, _ = np.linalg.svd(centred, full_matrices=False)
    parts = left[:, :2] * sizes[:2]
    told = [figures(groove) for groove in grooves]
    table = {name: np.array([getattr(one, name) for one in told]) for name in AXES}
    names: list[str] = []
    for column in range(2):
        links = {name: _correlation(parts[:, column], values) for name, values in table.items() if name not in names}
        best = max(links, key=lambda name: abs(links[name]))
        parts[:, column] *= -1.0 if links[best] < 0 else 1.0
        names.append(best)
    return GrooveMap(_spread(parts), AXES[names[0]], AXES[names[1]])


def _correlation(one: Floats, other: Floats) -> float:
    spread = float(one.std() * other.std())
    return float(((one - one.mean()) * (other - other.mean())).mean() / spread) if spread > 1e-12 else 0.0


def _spread(parts: Floats) -> Floats:
    """Places from 0 to 1, half by how far apart they are and half by their order, so that none hides another."""
    span = np.ptp(parts, axis=0)
    even = (parts - parts.min(axis=0)) / np.where(span > 0, span, 1.0)
    order = parts.argsort(axis=0, kind="stable").argsort(axis=0, kind="stable") / max(len(parts) - 1, 1)
    mixed = (1 - SPREAD_OUT) * even + SPREAD_OUT * order
    return np.asarray(EDGE + (1 - 2 * EDGE) * mixed)


def in_words(groove: GrooveTemplate) -> str:
    """How a groove leans and what it stresses: "off-beats late, behind by 4 ms, accented"."""
    told = figures(groove)
    off_ms = told.swing * 60_000.0 / groove.tempo_bpm
    words = []
    if abs(off_ms) >= STRAIGHT_MS:
        words.append(f"off-beats {abs(off_ms):.0f} ms {'late' if off_ms > 0 else 'early'}")
    if abs(told.lean_ms) >= STRAIGHT_MS:
        words.append(f"{'behind' if told.lean_ms > 0 else 'ahead'} by {abs(told.lean_ms):.0f} ms")
    words.append("strong accents" if told.stress > 0.22 else "even" if told.stress < 0.1 else "some accents")
    return ", ".join(words)
