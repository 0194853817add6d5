"""Groove templates: per slot of one or more bars, how far off the straight grid a hit falls and how loud it is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre, check_tempo

MAX_TEMPLATE_BARS = 8
MAX_SLOTS_PER_BAR = 96
MAX_TEMPLATE_OFFSET_MS = 250.0
Places = npt.NDArray[np.int64] | npt.NDArray[np.float64]
LANES = ("all", "low", "mid", "high")
BAND_LANES = LANES[1:]


@dataclass(frozen=True)
class Lane:
    """One band's line through the slots; every array has one value per slot of the whole template.

    offset_ms: off the straight grid at the template's tempo, negative = early. spread_ms: weighted standard
    deviation. accent: 0 to 1, the loudest slot 1. count: hits heard. guessed: no hit was heard, the value is a guess.
    """

    offset_ms: tuple[float, ...]
    accent: tuple[float, ...]
    spread_ms: tuple[float, ...] = ()
    count: tuple[int, ...] = ()
    guessed: tuple[bool, ...] = ()

    def __post_init__(self) -> None:
        slots = len(self.offset_ms)
        for name, empty in (("spread_ms", 0.0), ("count", 1), ("guessed", False)):
            if not getattr(self, name):
                object.__setattr__(self, name, (empty,) * slots)
        for name in ("accent", "spread_ms", "count", "guessed"):
            if len(getattr(self, name)) != slots:
                raise BadValueError(
                    f"A template lane has {slots} offsets and {len(getattr(self, name))} {name} values."
                )
        for index, (offset_ms, accent) in enumerate(zip(self.offset_ms, self.accent, strict=True)):
            limit = MAX_TEMPLATE_OFFSET_MS
            require_range(f"The offset of template slot {index + 1}", offset_ms, -limit, limit, "ms")
            require_range(f"The accent of template slot {index + 1}", accent, 0.0, 1.0)

    @cached_property
    def offsets(self) -> npt.NDArray[np.float64]:
        return np.asarray(self.offset_ms, dtype=np.float64)

    @cached_property
    def accents(self) -> npt.NDArray[np.float64]:
        return np.asarray(self.accent, dtype=np.float64)


@dataclass(frozen=True)
class GrooveTemplate:
    """A groove: `slots_per_bar` slots in each of `bars` bars of `metre`, measured at `tempo_bpm`.

    Raises BadValueError when a lane's length is not slots_per_bar x bars or a number is out of range.
    """

    name: str
    tempo_bpm: float
    slots_per_bar: int
    lanes: Mapping[str, Lane]
    bars: int = 1
    metre: Metre = COMMON_TIME
    source: str = field(default="", compare=False)
    words: str = field(default="", compare=False)

    def __post_init__(self) -> None:
        check_tempo(self.tempo_bpm)
        require_range("The template's bars", self.bars, 1, MAX_TEMPLATE_BARS)
        require_range("The template's slots per bar", self.slots_per_bar, 1, MAX_SLOTS_PER_BAR)
        if "all" not in self.lanes:
            raise BadValueError("The template has no lane 'all'; every template needs it.")
        for name, lane in self.lanes.items():
            if name not in LANES:
                raise BadValueError(f"The template has a lane '{name[:20]}'; lanes are {', '.join(LANES)}.")
            if len(lane.offset_ms) != self.slots_per_bar * self.bars:
                raise BadValueError(
                    f"Template lane '{name}' has {len(lane.offset_ms)} slots; {self.bars} bars of "
                    f"{self.slots_per_bar} slots need {self.slots_per_bar * self.bars}."
                )

    def slot_position(self, tick: Places, metre: Metre) -> npt.NDArray[np.float64]:
        """Where ticks of a pattern in `metre` fall among the slots: float, 0 up to slots_per_bar x bars.

        The template repeats by bars. In another metre every bar of the pattern starts a bar of the template, which
        is cut or begun again to fill it, so that downbeats stay downbeats.
        """
        bar, inside = np.divmod(tick, metre.bar_ticks)
        slot = (inside % self.metre.bar_ticks) * (self.slots_per_bar / self.metre.bar_ticks)
        return (bar % self.bars) * self.slots_per_bar + slot

    def offsets_at(
        self, tick: Places, metre: Metre, tempo_bpm: float, *, scale: bool, lane: str = "all"
    ) -> npt.NDArray[np.float64]:
        """Offset in ms at each tick, between slots by linear interpolation.

        With `scale` an offset keeps its share of a slot, so it grows as the tempo falls; otherwise it keeps its ms.
        """
        offsets = self.lanes.get(lane, self.lanes["all"]).offsets
        position = self.slot_position(tick, metre)
        before = np.floor(position).astype(np.intp)
        share = position - before
        slots = len(offsets)
        values = offsets[before % slots] * (1 - share) + offsets[(before + 1) % slots] * share
        return values * (self.tempo_bpm / tempo_bpm) if scale else values

    def accents_at(self, tick: Places, metre: Metre, lane: str = "all") -> npt.NDArray[np.float64]:
        """Accent 0-1 of the slot nearest to each tick."""
        accents = self.lanes.get(lane, self.lanes["all"]).accents
        slot = np.floor(self.slot_position(tick, metre) + 0.5).astype(np.intp)
        return accents[slot % len(accents)]
