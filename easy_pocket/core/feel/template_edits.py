"""Groove templates made and changed by hand: drawn, taken from hits, edited slot by slot, blended, lengthened."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.feel.lane_from_hits import lane_from_hits
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.template import (
    LANES,
    MAX_SLOTS_PER_BAR,
    MAX_TEMPLATE_BARS,
    MAX_TEMPLATE_OFFSET_MS,
    GrooveTemplate,
    Lane,
)
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre
from easy_pocket.core.pattern.voices import band_of

PLAIN_ACCENT = 0.7
NEW_SLOT_ACCENT = 0.8  # of its neighbours': what lies between two slots is quieter
DIFFERENT_METRE = "Only grooves of one metre can be joined: {} is in {}, {} in {}."

Floats = npt.NDArray[np.float64]


def drawn_template(
    name: str, *, slots_per_bar: int, bars: int = 1, metre: Metre = COMMON_TIME, tempo_bpm: float = 100.0
) -> GrooveTemplate:
    """A straight, even groove to draw on.

    Parameters
    ----------
    name
        What it is called.
    slots_per_bar
        Slots in a bar.
    bars
        Bars, 1 to 8.
    metre
        Metre of the bars.
    tempo_bpm
        Quarter notes a minute.

    Returns
    -------
    GrooveTemplate
        Offsets of 0 and equal accents.
    """
    require_range("The template's bars", bars, 1, MAX_TEMPLATE_BARS)
    require_range("The template's slots per bar", slots_per_bar, 1, MAX_SLOTS_PER_BAR)
    slots = slots_per_bar * bars
    lane = Lane((0.0,) * slots, (PLAIN_ACCENT,) * slots, count=(0,) * slots)
    return GrooveTemplate(name, tempo_bpm, slots_per_bar, {"all": lane}, bars, metre, "drawn")


def with_slots(
    template: GrooveTemplate,
    lane: str,
    values: Mapping[int, tuple[float | None, float | None]],
) -> GrooveTemplate:
    """Slots of a lane set to (offset in ms, accent 0-1), None leaving one as it is.

    A lane the template does not have yet begins as a copy of all. What is set by hand is no guess. Raises
    BadValueError for a slot there is none of.

    Parameters
    ----------
    template
        The groove that is changed.
    lane
        Name of the lane: all, low, mid or high.
    values
        By slot, counted from 0: offset in ms and accent 0 to 1, None leaves one as it is.

    Returns
    -------
    GrooveTemplate
        The changed groove.
    """
    if lane not in LANES:
        raise BadValueError(f"There is no band '{lane[:20]}'; bands are {', '.join(LANES)}.")
    old = template.lanes.get(lane, template.lanes["all"])
    offset_ms, accent, guessed = list(old.offset_ms), list(old.accent), list(old.guessed)
    for slot, (to_ms, to_accent) in values.items():
        require_range("The slot", slot + 1, 1, len(offset_ms))
        offset_ms[slot] = offset_ms[slot] if to_ms is None else float(to_ms)
        accent[slot] = accent[slot] if to_accent is None else float(to_accent)
        guessed[slot] = False
    new = replace(old, offset_ms=tuple(offset_ms), accent=tuple(accent), guessed=tuple(guessed))
    return replace(template, lanes={**template.lanes, lane: new})


def template_from_performance(
    performance: Performance, name: str, source: str, *, step_ticks: int, from_bar: int = 1, bars: int = 1
) -> GrooveTemplate:
    """The groove of some bars as they are played.

    Per slot of `step_ticks` the mean offset, spread and accent of its hits, for all voices and for those of each
    band. from_bar counts from 1.

    Parameters
    ----------
    performance
        Hits as they are played.
    name
        What it is called.
    source
        Where it was taken from, in words.
    step_ticks
        Length of a slot in ticks.
    from_bar
        First bar, counted from 1.
    bars
        How many bars.

    Returns
    -------
    GrooveTemplate
        Lanes for all voices and for each band that has hits.

    Raises
    ------
    BadValueError
        When no hits lie in these bars, when there are too many bars, or when the grid does not fill a bar with
        whole slots.
    """
    metre, hits = performance.metre, performance.hits
    require_range("The groove's bars", bars, 1, MAX_TEMPLATE_BARS)
    if metre.bar_ticks % step_ticks:
        raise BadValueError(f"A bar of {metre} is no whole number of these slots: choose 16ths or 8ths as the grid.")
    per_bar = metre.bar_ticks // step_ticks
    start = (from_bar - 1) * metre.bar_ticks
    inside = (hits.tick >= start) & (hits.tick < start + bars * metre.bar_ticks)
    if not inside.any():
        last = f" to {from_bar + bars - 1}" if bars > 1 else ""
        raise BadValueError(f"There are no hits in bar {from_bar}{last}: choose bars that hold some.")
    tick_ms = 60_000.0 / (performance.tempo_bpm * 960)
    slot = np.rint((hits.tick - start) / step_ticks).astype(np.intp)
    offset_ms = performance.played_ms - (slot * step_ticks + start) * tick_ms
    slot = np.mod(slot, per_bar * bars)
    strength = performance.velocity / 127.0
    every = lane_from_hits(slot, offset_ms, strength, inside, per_bar * bars)
    lanes = {"all": every}
    bands = np.array([band_of(voice) for voice in hits.voices])[hits.voice_index]
    for band in ("low", "mid", "high"):
        mine = inside & (bands == band)
        if mine.any():
            lanes[band] = lane_from_hits(slot, offset_ms, strength, mine, per_bar * bars, every)
    return GrooveTemplate(name, performance.tempo_bpm, per_bar, lanes, bars, metre, source)


def blend(templates: Sequence[GrooveTemplate], weights: Sequence[float], name: str) -> GrooveTemplate:
    """The weighted mean of grooves, slot by slot, offsets as shares of a slot.

    At the tempo and on the slots of the finest. Two of different length repeat until both are whole. Raises
    BadValueError for different metres, fewer than two grooves, weights that are negative or add up to nothing, or
    more than 8 bars.

    Parameters
    ----------
    templates
        Two grooves or more, of one metre.
    weights
        Share of each, 0 or more.
    name
        What it is called.

    Returns
    -------
    GrooveTemplate
        The mean, at the tempo and on the slots of the finest one.
    """
    if not 2 <= len(templates) <= 8 or len(weights) != len(templates):
        raise BadValueError(f"{len(templates)} grooves cannot be blended: choose 2 to 8, each with its share.")
    for weight in weights:
        require_range("The share of a groove", weight, 0, 100)
    share = np.asarray(weights, dtype=np.float64)
    if not share.sum():
        raise BadValueError("The shares of the grooves add up to nothing: give one of them some weight.")
    share = share / share.sum()
    first = templates[0]
    for other in templates[1:]:
        if other.metre != first.metre:
            raise BadValueError(DIFFERENT_METRE.format(first.name, first.metre, other.name, other.metre))
    bars = math.lcm(*(template.bars for template in templates))
    require_range("The blend's bars", bars, 1, MAX_TEMPLATE_BARS)
    slots = max(template.slots_per_bar for template in templates)
    tick = np.arange(slots * bars) * first.metre.bar_ticks / slots
    lanes = {}
    for lane in LANES:
        if lane != "all" and not any(lane in template.lanes for template in templates):
            continue
        offsets = [one.offsets_at(tick, first.metre, first.tempo_bpm, scale=True, lane=lane) for one in templates]
        accents = [one.accents_at(tick, first.metre, lane) for one in templates]
        lanes[lane] = Lane(tuple((share @ np.array(offsets)).tolist()), tuple((share @ np.array(accents)).tolist()))
    parts = [f"{100 * one:.0f} % {template.name}" for one, template in zip(share, templates, strict=True)]
    return GrooveTemplate(name, first.tempo_bpm, slots, lanes, bars, first.metre, "blend of " + ", ".join(parts))


def repeated(template: GrooveTemplate, bars: int) -> GrooveTemplate:
    """The same groove over more bars, so that each can be changed for itself, or only its first bars."""
    require_range("The template's bars", bars, 1, MAX_TEMPLATE_BARS)
    index = np.arange(template.slots_per_bar * bars) % (template.slots_per_bar * template.bars)
    lanes = {name: _taken(lane, index) for name, lane in template.lanes.items()}
    return replace(template, lanes=lanes, bars=bars)


def _taken(lane: Lane, index: npt.NDArray[np.intp]) -> Lane:
    def pick(values: tuple[float, ...]) -> tuple[float, ...]:
        return tuple(values[place] for place in index.tolist())

    guessed = tuple(lane.guessed[place] for place in index.tolist())
    count = tuple(lane.count[place] for place in index.tolist())
    return Lane(pick(lane.offset_ms), pick(lane.accent), pick(lane.spread_ms), count, guessed)


def stretched(template: GrooveTemplate) -> GrooveTemplate:
    """The groove at half speed, over twice its bars: swung 16ths become swung 8ths.

    A slot keeps its place as a share of the whole; new slots between two lean as the mean of both, and are marked as
    guessed.
    """
    bars = template.bars * 2
    require_range("The stretched template's bars", bars, 1, MAX_TEMPLATE_BARS)
    lanes = {name: _stretched(lane) for name, lane in template.lanes.items()}
    return replace(template, lanes=lanes, bars=bars)


def _stretched(lane: Lane) -> Lane:
    slots = np.arange(len(lane.offset_ms) * 2)
    before, new = slots // 2, slots % 2 == 1
    after = np.where(new, before + 1, before) % len(lane.offset_ms)
    offsets = lane.offsets[before] + lane.offsets[after]  # the mean of both, at half the speed
    accents = (lane.accents[before] + lane.accents[after]) / 2 * np.where(new, NEW_SLOT_ACCENT, 1.0)
    return Lane(
        tuple(np.clip(offsets, -MAX_TEMPLATE_OFFSET_MS, MAX_TEMPLATE_OFFSET_MS).tolist()),
        tuple(accents.tolist()),
        tuple((2 * np.asarray(lane.spread_ms)[before]).tolist()),
        tuple(np.where(new, 0, np.asarray(lane.count)[before]).tolist()),
        tuple((new | np.asarray(lane.guessed)[before]).tolist()),
    )


def describe_fit(template: GrooveTemplate, metre: Metre, bars: int) -> str:
    """Say in words how a groove fits a pattern of another metre or length; nothing when it simply fits.

    Parameters
    ----------
    template
        The groove.
    metre, bars
        Of the pattern.

    Examples
    --------
    >>> from easy_pocket.core.feel.template import GrooveTemplate, Lane
    >>> lane = Lane(offset_ms=(0.0,) * 16, accent=(1.0,) * 16)
    >>> groove = GrooveTemplate("Keel", 104.0, 16, {"all": lane}, bars=1, metre=Metre(4, 4))
    >>> describe_fit(groove, Metre(4, 4), 2)
    ''
    >>> describe_fit(groove, Metre(3, 4), 2)
    'a groove in 4/4 on 3/4: each bar begins a bar of it, cut after 3/4'
    """
    words = []
    if template.metre != metre:
        shorter = template.metre.bar_ticks > metre.bar_ticks
        how = f"cut after {metre}" if shorter else "begun again until the bar is full"
        if template.metre.bar_ticks == metre.bar_ticks:
            how = "as long as this one"
        words.append(f"a groove in {template.metre} on {metre}: each bar begins a bar of it, {how}")
    if template.bars > bars:
        words.append(f"only its first {bars} of {template.bars} bars are reached")
    elif template.bars > 1 and bars % template.bars:
        words.append(f"its {template.bars} bars repeat and are cut off by the end")
    return "; ".join(words)
