"""The bar map of a loop: offsets over their slots, the mean and spread of each slot; as a groove would be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from easy_pocket.core.feel.template import Lane
from easy_pocket.core.listen.groove import extract_template, hits_that_count, slots_and_offsets, struck_together_ms
from easy_pocket.core.listen.loop_analysis import LoopAnalysis
from easy_pocket.core.listen.reading import with_grid
from easy_pocket.core.text import counted
from easy_pocket.web.screens.bench.rails_view import ON_GRID_MS, signed

REACHES_MS = (10, 20, 40, 60, 80)
MOST_FIGURES = 32  # more slots than this have no room for theirs


@dataclass(frozen=True)
class MapDot:
    x: float
    y: float
    radius: float
    lean: str


@dataclass(frozen=True)
class MapSlot:
    """One slot: where it is drawn, its mean with spread and count, or a guess."""

    x: float
    label: str
    strong: bool
    mean_y: float
    low_y: float
    high_y: float
    words: str
    lean: str
    guessed: bool
    said: str


class LoopMap:
    """Bars on top of each other as in a groove of `bars` bars; raises what `extract_template` raises."""

    def __init__(
        self,
        heard: LoopAnalysis,
        lane: str = "all",
        bars: int = 1,
        from_bars: Sequence[int] = (),
        per_beat: int | None = None,
    ) -> None:
        template = extract_template(
            heard.onsets, heard.reading, "map", bars=bars, from_bars=from_bars, per_beat=per_beat
        )
        reading = with_grid(heard.reading, per_beat)
        line = template.lanes.get(lane)
        self.missing = lane not in template.lanes
        slot, offset_ms = slots_and_offsets(heard.onsets, reading)
        offset_ms = struck_together_ms(heard.onsets, offset_ms)
        chosen = hits_that_count(heard.onsets, slot, reading, from_bars, lane)
        slots = template.slots_per_bar * bars
        offsets = offset_ms[chosen]
        means = np.asarray(line.offset_ms) if line else np.zeros(0)
        furthest = max(float(np.abs(offsets).max(initial=0)), float(np.abs(means).max(initial=0)))
        self.reach_ms = next((reach for reach in REACHES_MS if furthest <= reach), 120)
        self.slot_width = round(100 / slots * 0.36, 3)
        self.slots = [
            self._slot(index, slots, reading.grid.per_beat, template.slots_per_bar, line) for index in range(slots)
        ] if line else []  # fmt: skip
        self.dots = [
            MapDot(self._x(at % slots, slots), self._y(offset), round(2.4 + 3.4 * strength, 2), lean(offset))
            for at, offset, strength in zip(
                slot[chosen].tolist(), offsets.tolist(), heard.onsets.level[chosen].tolist(), strict=True
            )
        ]
        of = "all bars" if not from_bars else f"bar{'s' if len(from_bars) > 1 else ''} {', '.join(map(str, from_bars))}"
        guesses = sum(line.guessed) if line else 0
        self.words = f"{counted(len(self.dots), 'hit')} of {of}, {guesses} of {slots} slots guessed"

    @staticmethod
    def _x(position: float, slots: int) -> float:
        return round(100 * (position + 0.5) / slots, 3)

    def _y(self, offset_ms: float) -> float:
        return round(50 + 44 * max(-1.0, min(1.0, offset_ms / self.reach_ms)), 2)

    def _slot(self, index: int, slots: int, per_beat: int, per_bar: int, line: Lane) -> MapSlot:
        mean, spread, count = line.offset_ms[index], line.spread_ms[index], line.count[index]
        guessed = line.guessed[index]
        bar, inside = divmod(index, per_bar)
        beat = inside // per_beat + 1
        name = (f"{bar + 1}." if slots > per_bar else "") + str(beat)
        said = "no hit here: a guess from the slots that swing alike"
        if not guessed:
            said = f"{signed(mean)} ms ±{spread:.1f}, {count} hit{'s' if count != 1 else ''}"
        return MapSlot(
            x=self._x(index, slots),
            label=name if inside % per_beat == 0 else "",
            strong=inside % per_beat == 0,
            mean_y=self._y(mean),
            low_y=self._y(mean - spread),
            high_y=self._y(mean + spread),
            words=("·" if guessed else signed(mean, 0)) if slots <= MOST_FIGURES else "",
            lean=lean(mean),
            guessed=guessed,
            said=said,
        )


def lean(offset_ms: float) -> str:
    return "even" if abs(offset_ms) < ON_GRID_MS else ("late" if offset_ms > 0 else "early")
