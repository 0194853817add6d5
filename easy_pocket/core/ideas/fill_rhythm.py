"""The rhythm of a fill: how many hits fall into each beat of the window, and on which of its slots."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.ideas.fill_endings import ENDINGS
from easy_pocket.core.ideas.fill_settings import steps_of
from easy_pocket.core.pattern.metrical import WEAKEST, weights
from easy_pocket.core.pattern.timebase import Metre

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]
OPEN_OFFBEAT = 0.36  # how far a fill leans off the beat when nobody asked
DRAWN = 0.6  # how much chance has a say in which slots are taken, when nobody asked
DRAWN_ASKED = 0.22  # and when an off-beat share was asked for


@dataclass(frozen=True)
class Ground:
    """The slots a fill may use, in order, and the place of its last hit (None: on the next one, outside)."""

    slots: Ints
    last: int | None
    silent_from: int  # nothing new lies from here to the end of the window


def pick(rng: np.random.Generator, odds: Mapping[str, float]) -> str:
    """One of the names by chance; their odds add up to 1."""
    chance, until = rng.random(), 0.0
    for name, share in odds.items():
        until += share
        if chance < until:
            return name
    return name


def ground(ending: str, begin: int, end: int, subdivision: str, metre: Metre, rng: np.random.Generator) -> Ground:
    """The slots of a subdivision up to the ending. Bursts of 32nds take a few beats' halves, mixed ones whole beats.

    Parameters
    ----------
    ending
        How the fill ends, as the settings name it.
    begin
        First tick of the window.
    end
        Tick at which the window ends, not part of it.
    subdivision
        Name of the subdivision.
    metre
        Metre of the bars.
    rng
        Source of chance, seeded by the caller.

    Returns
    -------
    Ground
        Slots in ticks, the place of the last hit, and from where nothing new lies.
    """
    steps = steps_of(subdivision, metre)
    last, silent_from = ENDINGS[ending].place(begin, end, metre, steps[0])
    if last is not None and last % steps[0]:
        last = last // steps[0] * steps[0]  # an ending off the subdivision goes to its slot before
        silent_from = last + 1 if ending == "hit4" else silent_from
    reach = end if last is None else last
    slots: set[int] = set()
    pulse = metre.pulse_ticks
    first_beat = begin // pulse
    for number, beat in enumerate(range(begin // pulse * pulse, end, pulse)):
        chosen = steps[0]
        if len(steps) > 1 and subdivision == "mixed":
            chosen = steps[int(rng.random() < 0.5) if number or first_beat % 2 else 0]
        elif len(steps) > 1 and subdivision == "triplet":
            chosen = steps[0]
        slots.update(range(-(-beat // chosen) * chosen, beat + pulse, chosen))
    fast = set()
    if subdivision in ("32", "triplet") and len(steps) > 1:
        fast = set(range(-(-begin // steps[1]) * steps[1], reach, steps[1])) - slots
    usable = sorted(tick for tick in slots if begin <= tick < reach)
    if subdivision == "32" and usable:
        # A burst fills the gaps after one to three neighbouring 16ths, late in the fill rather than early.
        length = int(rng.integers(1, 4))
        start = int(rng.integers(len(usable) // 3, max(len(usable) - length, len(usable) // 3) + 1))
        for tick in usable[start : start + length]:
            slots.add(tick + steps[1])
    elif fast:
        slots |= fast if rng.random() < 0.25 else set()
    usable = sorted(tick for tick in slots if begin <= tick < reach)
    return Ground(np.array(usable, dtype=np.int64), last, silent_from)


def shares(wanted: int, slots: Ints, begin: int, end: int, ramp: tuple[float, float]) -> Ints:
    """Deal `wanted` hits out to the slots.

    Whole numbers, how many fall on each on average; their running sum follows the ramp of density from begin to
    end.

    Parameters
    ----------
    wanted
        How many hits are dealt out.
    slots
        Slots in ticks, in order.
    begin
        First tick of the window.
    end
        Tick at which the window ends, not part of it.
    ramp
        Density at the begin and at the end, as shares.

    Returns
    -------
    Ints
        Hits of each slot, shape of slots.
    """
    if not len(slots) or wanted <= 0:
        return np.zeros(len(slots), dtype=np.int64)
    u = (slots - begin) / max(end - begin, 1)
    lean = np.maximum(ramp[0] + (ramp[1] - ramp[0]) * u, 1e-6)
    gaps = np.diff(np.append(slots, slots[-1] + (slots[-1] - slots[-2] if len(slots) > 1 else 240)))
    running = np.cumsum(lean * gaps)
    return np.asarray(np.diff(np.rint(running / running[-1] * wanted).astype(np.int64), prepend=0))


def choose_slots(
    ground: Ground,
    per_slot: Ints,
    line_share: float,
    offbeat: float | None,
    metre: Metre,
    rng: np.random.Generator,
) -> tuple[list[int], dict[int, int]]:
    """The slots of the leading line, and by beat how many hits are left for other limbs.

    Of each beat the slots are taken by weight (strong ones for a low off-beat share, weak ones for a high one) and
    by chance; a beat may repeat the figure of the one before it.

    Parameters
    ----------
    ground
        Slots the fill may use.
    per_slot
        Hits dealt to each slot.
    line_share
        Share of the hits that the leading line gets, 0 to 1.
    offbeat
        Share of off-beats that was asked for, 0 to 1; None leaves it to chance.
    metre
        Metre of the bars.
    rng
        Source of chance, seeded by the caller.

    Returns
    -------
    tuple[list[int], dict[int, int]]
        Slots of the line in ticks, and hits left over by beat.
    """
    pulse = metre.pulse_ticks
    strength = 1.0 - weights(ground.slots, metre) / WEAKEST
    lean = OPEN_OFFBEAT if offbeat is None else offbeat
    pull = (1.0 - 2.0 * lean) * strength
    drawn = DRAWN if offbeat is None else DRAWN_ASKED
    figure = rng.random(64)
    again = rng.random() < 0.5
    line: list[int] = []
    extra: dict[int, int] = {}
    for beat in np.unique(ground.slots // pulse).tolist():
        mine = np.flatnonzero(ground.slots // pulse == beat)
        count = int(per_slot[mine].sum())
        if not count:
            continue
        most = len(mine) if offbeat is None else max(1, round(0.6 * len(mine)))
        leading = min(most, count, max(1, round(count * line_share)))
        places = ((ground.slots[mine] % pulse) * 24 // pulse).astype(np.intp)
        chance = figure[places] if again else rng.random(len(mine))
        score = pull[mine] + drawn * chance
        taken = mine[np.argsort(-score, kind="stable")[:leading]]
        line += ground.slots[np.sort(taken)].tolist()
        extra[beat] = count - leading
    return line, extra
