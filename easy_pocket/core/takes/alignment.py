"""Played hits on slots: the grid a voice was played on, the swing in it, and how far off each hit lies."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.feel.feel import Feel, FeelScopes, over
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.pattern.pattern import MAX_OFFSET_MS, Hit, Pattern
from easy_pocket.core.pattern.timebase import GRID_TICKS
from easy_pocket.core.takes.played import Floats, Ints, Played, TakeBars

GRIDS = tuple(GRID_TICKS[name] for name in ("8", "8T", "16", "16T", "32"))
FINER_COSTS = 0.10  # per doubling of slots, beyond what chance gives: on doubt the grid is the plain one
TRIPLETS_COST = 0.12
SWING_COSTS = 0.25  # a swing must fit so much better than the straight grid
FEWEST_SWUNG = 3
LEAST_MS = 1.5  # nobody plays closer than this: what is nearer counts as so near
PLAIN_SWING_PERCENT = 52.0  # what swings less is straight
SWUNG_STEPS = {480: 8, 240: 16}


@dataclass(frozen=True)
class GridFit:
    """A grid and how well hits lie on it.

    spread_ms: RMS off its slots, its own mean left in. score: lower is better.
    """

    step_ticks: int
    swing_percent: float
    spread_ms: float
    score: float


def fit_grids(time_ms: Floats, bars: TakeBars) -> list[GridFit]:
    """Grids for hits of one voice, best first.

    The score is the log of how far off its slots a hit lies by how far it would by chance, with a price for finer
    grids: on a finer one everything lies nearer.

    Parameters
    ----------
    time_ms
        When the hits were played, in ms.
    bars
        What they were played over.
    """
    found = []
    for step in GRIDS:
        if step > bars.length_ticks:
            continue
        step_ms = step * bars.tick_ms
        price = FINER_COSTS * np.log2(480 / step) + (TRIPLETS_COST if step in (320, 160) else 0.0)
        off_ms = time_ms - np.rint(time_ms / step_ms) * step_ms
        found.append(_scored(step, 50.0, off_ms, step_ms, price))
        swing = _swing(time_ms, step, bars.tick_ms) if step in SWUNG_STEPS else None
        if swing is not None:
            off_ms = time_ms - swung_slots_ms(time_ms, step, swing, bars.tick_ms)
            found.append(_scored(step, swing, off_ms, step_ms, price + SWING_COSTS))
    return sorted(found, key=lambda one: one.score)


def _scored(step: int, swing: float, off_ms: Floats, step_ms: float, price: float) -> GridFit:
    spread_ms = float(np.sqrt((off_ms**2).mean())) if len(off_ms) else 0.0
    chance_ms = step_ms / np.sqrt(12)
    return GridFit(step, swing, spread_ms, float(np.log(max(spread_ms, LEAST_MS) / chance_ms) + price))


WRONG_MS, WRONG_SHARE = 18.0, 0.5  # a grid is wrong where hits lie so wide, and on another one half as wide


def better_grid(time_ms: Floats, spread_ms: float, bars: TakeBars) -> GridFit | None:
    """Another grid that fits much better than the one on which hits lie spread_ms (RMS) off; None where none does.

    Parameters
    ----------
    time_ms
        Hits in ms from the take's beginning, shape (n,).
    spread_ms
        How far they lie off the present grid, in ms (RMS).
    bars
        Bars, metre and tempo of the take.

    Returns
    -------
    GridFit | None
        The other grid, or None.
    """
    if spread_ms < WRONG_MS or not len(time_ms):
        return None
    best = fit_grids(time_ms, bars)[0]
    return best if best.spread_ms <= WRONG_SHARE * spread_ms else None


def _swing(time_ms: Floats, step_ticks: int, tick_ms: float) -> float | None:
    """How far the second notes of pairs are put off, in percent of the pair; None where too few are played."""
    pair_ms = 2 * step_ticks * tick_ms
    share = np.mod(time_ms + pair_ms / 4, pair_ms) / pair_ms - 0.25  # -0.25 to 0.75
    second = share > 0.3
    if second.sum() < FEWEST_SWUNG:
        return None
    lean = share[~second].mean() if (~second).any() else 0.0
    percent = 100 * float(np.median(share[second]) - lean)
    return percent if PLAIN_SWING_PERCENT <= percent <= 75 else None


def swung_slots_ms(time_ms: Floats, step_ticks: int, swing_percent: float, tick_ms: float) -> Floats:
    """The time of the nearest slot of a swung grid for each hit.

    Parameters
    ----------
    time_ms
        Hits in ms, shape (n,).
    step_ticks
        Length of a slot in ticks.
    swing_percent
        50 is straight.
    tick_ms
        Length of a tick in ms.

    Returns
    -------
    Floats
        Times in ms, shape (n,).
    """
    pair_ms = 2 * step_ticks * tick_ms
    pair = np.floor(time_ms / pair_ms)
    inside = time_ms - pair * pair_ms
    places = np.array([0.0, swing_percent / 100 * pair_ms, pair_ms])
    nearest = np.abs(inside[:, None] - places[None, :]).argmin(axis=1)
    return np.asarray(pair * pair_ms + places[nearest])


@dataclass(frozen=True)
class Slots:
    """How a take is laid on slots: a grid for each voice, one for others, and the swing of the part."""

    step_ticks: Mapping[str, int]
    step_of_all: int = 240
    swing_percent: float = 50.0
    swing_unit: int = 16


def take_slots(played: Played, bars: TakeBars, *, step_ticks: int = 0, feel: FeelScopes | None = None) -> Slots:
    """The grids of a take: of all its passes together, and of each voice with hits enough to tell.

    Swing that the part has already is taken as it is, else swing that is found is.

    Parameters
    ----------
    played
        Hits of all passes.
    bars
        Bars, metre and tempo of the take.
    step_ticks
        Slot in ticks that was chosen for all; 0 to guess.
    feel
        What the part has already; None for nothing.

    Returns
    -------
    Slots
        Slots for all, and for each voice.
    """
    swing = swing_in(feel, played.voices)
    whole = fit_grids(played.time_ms, bars) if len(played) else []
    best = whole[0] if whole else GridFit(240, 50.0, 0.0, 0.0)
    steps: dict[str, int] = {}
    for number, voice in enumerate(played.voices):
        own = played.time_ms[played.voice_index == number]
        fits = fit_grids(own, bars) if len(own) >= FEWEST_SWUNG else []
        steps[voice] = fits[0].step_ticks if fits else best.step_ticks
    if swing is not None:
        percent, unit = swing
    else:
        percent, unit = best.swing_percent, SWUNG_STEPS.get(best.step_ticks, 16)
    if step_ticks:
        steps = dict.fromkeys(played.voices, step_ticks)
    return Slots(steps, step_ticks or best.step_ticks, percent, unit)


def swing_in(feel: FeelScopes | None, voices: tuple[str, ...]) -> tuple[float, int] | None:
    """The swing a part has already, and its unit; None where it is straight."""
    if feel is None:
        return None
    settings = [feel.resolve(voice) for voice in voices] or [feel.resolve("kick")]
    swings = [one for one in settings if (one.swing_percent or 50.0) > 50.0]
    return (float(swings[0].swing_percent or 50.0), int(swings[0].swing_unit or 16)) if swings else None


def with_swing(feel: FeelScopes, slots: Slots, voices: tuple[str, ...]) -> FeelScopes:
    """The feel with the swing that was found in a take, where the part is straight.

    Parameters
    ----------
    feel
        Settings of the stack, the part and its voices.
    slots
        What was found in the take.
    voices
        Roles of the voices that get it.

    Returns
    -------
    FeelScopes
        The feel, changed where the part is straight.
    """
    if slots.swing_percent <= PLAIN_SWING_PERCENT or swing_in(feel, voices) is not None:
        return feel
    found = Feel(swing_percent=round(min(slots.swing_percent, 75.0), 1), swing_unit=slots.swing_unit)
    return replace(feel, part=over(found, feel.part))


@dataclass(frozen=True)
class Aligned:
    """Hits on slots, in the order they were played.

    tick: of the slot, 0 to the length. felt_ms: when the feel of the part puts a hit of that slot; off_ms: how far from
    there it was played.
    """

    played: Played
    tick: Ints
    felt_ms: Floats
    off_ms: Floats
    bars: TakeBars = field(repr=False)

    @property
    def bar(self) -> Ints:
        """The bar of each hit's slot, from 0: an early hit of bar 2 is in bar 2."""
        return np.asarray(self.tick // self.bars.metre.bar_ticks)


FeltSlots = Mapping[str, tuple[Ints, Floats]]


def felt_slots_of(voices: Iterable[str], bars: TakeBars, slots: Slots, feel: FeelScopes) -> FeltSlots:
    """For each voice the slots of its grid in ticks, and when the feel puts each, in ms.

    Parameters
    ----------
    voices
        Roles of the voices.
    bars
        Bars, metre and tempo of the take.
    slots
        What was found in the take.
    feel
        Settings of the stack, the part and its voices.

    Returns
    -------
    FeltSlots
        By voice: ticks, and times in ms.
    """
    return {
        voice: felt_slots(voice, slots.step_ticks.get(voice, slots.step_of_all), bars, feel)
        for voice in dict.fromkeys(voices)
    }


def align(played: Played, bars: TakeBars, felt: FeltSlots) -> Aligned:
    """Each hit on the slot nearest to where the feel puts it, one hit of a voice in a slot at most.

    Of two that want the same slot the nearer one has it; the other goes to the nearest 64th that is free, and keeps
    its time. Nothing is dropped.

    Parameters
    ----------
    played
        Hits in order of time.
    bars
        Bars, metre and tempo of the take.
    felt
        By voice: ticks of its slots, and when the feel puts each.

    Returns
    -------
    Aligned
        A tick for each hit, and how far off it was played.
    """
    tick = np.zeros(len(played), dtype=np.int64)
    felt_ms = np.zeros(len(played))
    for number, voice in enumerate(played.voices):
        own = np.flatnonzero(played.voice_index == number)
        tick[own], felt_ms[own] = _placed(played.time_ms[own], *felt[voice], bars)
    return Aligned(played, tick, felt_ms, played.time_ms - felt_ms, bars)


def felt_slots(voice: str, step_ticks: int, bars: TakeBars, feel: FeelScopes) -> tuple[Ints, Floats]:
    """The slots of a voice's grid in ticks, and when the feel puts each, in ms.

    Parameters
    ----------
    voice
        Role of the voice.
    step_ticks
        Length of a slot in ticks.
    bars
        Bars, metre and tempo of the take.
    feel
        Settings of the stack, the part and its voices.

    Returns
    -------
    tuple[Ints, Floats]
        Ticks, and times in ms.
    """
    ticks = np.arange(0, bars.length_ticks, step_ticks)
    start = bars.start_tick
    full = Pattern(start + bars.length_ticks, tuple(Hit(voice, start + int(tick), 96) for tick in ticks), bars.metre)
    return ticks, perform(full, feel, tempo_bpm=bars.tempo_bpm).played_ms - start * bars.tick_ms


def _placed(time_ms: Floats, ticks: Ints, put_ms: Floats, bars: TakeBars) -> tuple[Ints, Floats]:
    """Slots and their times for hits of one voice."""
    order = np.argsort(put_ms, kind="stable")
    around = np.concatenate([put_ms[order], [put_ms[order[0]] + bars.length_ms]])  # and the first of the next time
    after = np.clip(np.searchsorted(around, time_ms), 1, len(around) - 1)
    nearest = np.where(time_ms - around[after - 1] <= around[after] - time_ms, after - 1, after)
    felt_ms = around[nearest]
    tick = ticks[order[nearest % len(ticks)]].astype(np.int64)
    off_ms = np.abs(time_ms - felt_ms)
    by_nearness = np.lexsort((off_ms, tick))
    later = np.r_[False, tick[by_nearness][1:] == tick[by_nearness][:-1]]
    moves = np.union1d(by_nearness[later], np.flatnonzero(off_ms > MAX_OFFSET_MS))
    taken = set(np.delete(tick, moves).tolist())
    for hit in moves.tolist():
        tick[hit] = free_tick(float(time_ms[hit]), taken, bars)
        felt_ms[hit] = tick[hit] * bars.tick_ms
        taken.add(int(tick[hit]))
    return tick, felt_ms


def free_tick(time_ms: float, taken: set[int], bars: TakeBars) -> int:
    """The nearest free place on 64ths, then on any tick.

    Parameters
    ----------
    time_ms
        When the hit was played, in ms.
    taken
        Ticks that have a hit.
    bars
        Bars, metre and tempo of the take.

    Returns
    -------
    int
        The tick.

    Raises
    ------
    EditRefusedError
        When every tick is taken.
    """
    for step in (60, 15, 1):
        middle = round(time_ms / bars.tick_ms / step)
        for away in range(16):
            for place in {middle - away, middle + away}:
                tick = place * step
                if 0 <= tick < bars.length_ticks and tick not in taken:
                    return tick
    left = np.setdiff1d(np.arange(bars.length_ticks), np.fromiter(taken, np.int64, len(taken)))
    if not len(left):
        raise EditRefusedError("A voice has more hits in this take than there are places for: throw a pass away.")
    return int(left[np.abs(left * bars.tick_ms - time_ms).argmin()])
