"""What each fill of a batch is for.

Of six, one is plain, one sparse, one answers the beat, one is busy, one surprises and one has silence. How many strokes
each has are rules of thumb of the trade.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from easy_pocket.core.ideas.fill_rhythm import Ints, pick
from easy_pocket.core.ideas.taste import NO_TASTE, Taste
from easy_pocket.core.pattern.metrical import weights
from easy_pocket.core.pattern.timebase import Metre

MOST_DOUBLED = 0.25  # of the slots that are struck: more hands and feet at once than that mean nothing any more
GHOST = 46  # softer hits of the beat are no part of its rhythm
SHORTEST_ANSWER = 2  # strokes


@dataclass(frozen=True)
class FillRole:
    """What it is for, in how many strokes.

    strokes: hits a beat of the window, all voices counted, the fewest and the most. ending, paths, curves,
    subdivisions: with their odds, where they are not drawn as ever.
    """

    tag: str
    strokes: tuple[float, float]
    ending: str = ""
    paths: Mapping[str, float] = field(default_factory=dict)
    curves: Mapping[str, float] = field(default_factory=dict)
    subdivisions: Mapping[str, float] = field(default_factory=dict)
    answers: bool = False


ROLES = {
    "plain": FillRole("plain", (4.0, 4.8), paths={"down": 0.7, "one": 0.3}, curves={"rising": 0.6, "accents": 0.4}),
    "sparse": FillRole("sparse", (2.2, 3.4), subdivisions={"16": 0.6, "8": 0.4}),
    "answers": FillRole(
        "answers the beat", (3.4, 5.0), curves={"accents": 0.5, "rising": 0.3, "level": 0.2}, answers=True
    ),
    "busy": FillRole("busy", (4.4, 6.0), paths={"down": 0.5, "trade": 0.5}, subdivisions={"16": 0.4, "32": 0.6}),
    "surprising": FillRole("surprising", (4.0, 5.4), paths={"up": 0.4, "trade": 0.6}),
    "silence": FillRole("with silence", (3.2, 4.8), ending="silence"),
}


ASKED = FillRole("", (3.0, 5.0))  # where its density or its lean off the beat was asked for


def role_of(number: int, taste: Taste = NO_TASTE, rng: np.random.Generator | None = None) -> str:
    """Each in its turn, so that a batch finds some of all; with a taste, by chance and by its odds."""
    if taste.known and rng is not None:
        return pick(rng, taste.tilted("role", dict.fromkeys(ROLES, 1 / len(ROLES))))
    return list(ROLES)[number % len(ROLES)]


Turn = Callable[[Ints, int, int], Ints]  # ticks from the begin of a window, its length, the step of its slots


def _later(ticks: Ints, length: int, step: int) -> Ints:
    return np.asarray((ticks + 2 * step) % length)


def _earlier(ticks: Ints, length: int, step: int) -> Ints:
    return np.asarray((ticks - step) % length)


def _turned(ticks: Ints, length: int, step: int) -> Ints:
    return np.asarray(length - step - ticks)


def _as_it_is(ticks: Ints, length: int, step: int) -> Ints:
    return ticks


ANSWERS: dict[str, tuple[Turn, str]] = {
    "later": (_later, "the beat's own rhythm, moved on"),
    "earlier": (_earlier, "the beat's own rhythm, a step before"),
    "turned": (_turned, "the beat's own rhythm, turned round"),
    "same": (_as_it_is, "the beat's own rhythm"),
}


def answering(
    ticks: Sequence[int], begin: int, end: int, slots: Ints, metre: Metre, rng: np.random.Generator
) -> tuple[list[int], str] | None:
    """A line that takes up the rhythm of the beat before it.

    Parameters
    ----------
    ticks
        Where the beat is struck in as long a time before the window, counted from the begin of that time.
    begin
        First tick of the window.
    end
        Tick at which the window ends, not part of it.
    slots
        Slots of the fill in ticks, in order.
    metre
        Metre of the bars.
    rng
        Source of chance, seeded by the caller.

    Returns
    -------
    tuple[list[int], str] | None
        Slots of the line, and in words how it answers; None when too little is left of the rhythm.
    """
    if len(slots) < SHORTEST_ANSWER or not ticks:
        return None
    step, length = int(np.diff(slots).min()), end - begin
    turn, words = ANSWERS[list(ANSWERS)[int(rng.integers(len(ANSWERS)))]]
    cells = np.unique(np.rint(np.array(ticks) / step).astype(np.int64) * step % length)
    wanted = begin + turn(cells, length, step) % length
    line = slots[np.isin(slots, wanted)]
    most = max(SHORTEST_ANSWER, round(4 * length / metre.pulse_ticks))
    if len(line) > most:  # thinned to its strong places
        keep = np.sort(np.argsort(-(weights(line, metre) + rng.random(len(line))), kind="stable")[:most])
        line = line[keep]
    return (line.tolist(), words) if len(line) >= SHORTEST_ANSWER else None


def doubled_share(ticks: Sequence[int]) -> float:
    """How many of the struck slots have more than one stroke, 0 to 1.

    Examples
    --------
    >>> doubled_share([0, 0, 240, 480, 720])
    0.25
    """
    _, counts = np.unique(np.asarray(ticks), return_counts=True)
    return float((counts > 1).mean()) if len(counts) else 0.0
