"""Where ticks fall across the rails: percent of the width, so that the drawing fits every window."""

from __future__ import annotations

from dataclasses import dataclass

from easy_pocket.core.timebase import Metre, part_of_beat

EDGE = 1.7  # percent left and right, room for hits before the first line and after the last slot


@dataclass(frozen=True)
class Window:
    """The bars in view: from_bar counts from 1."""

    metre: Metre
    length_ticks: int
    from_bar: int
    bars: int

    @property
    def start(self) -> int:
        return (self.from_bar - 1) * self.metre.bar_ticks

    @property
    def end(self) -> int:
        return min(self.start + self.bars * self.metre.bar_ticks, self.length_ticks)

    def x(self, tick: float) -> float:
        """Percent across."""
        return round(EDGE + (100 - 2 * EDGE) * (tick - self.start) / (self.end - self.start), 3)

    def holds(self, tick: int) -> bool:
        return self.start <= tick < self.end


def fit_window(metre: Metre, length_ticks: int, from_bar: int, bars: int) -> Window:
    """The window nearest to what was asked for that lies inside the pattern."""
    total = -(-length_ticks // metre.bar_ticks)
    bars = max(1, min(bars, total))
    return Window(metre, length_ticks, max(1, min(from_bar, total - bars + 1)), bars)


@dataclass(frozen=True)
class GridLine:
    x: float
    kind: str  # "bar", "beat" or "slot"
    label: str


MOST_LABELS = 40  # more would run into each other
MOST_LONG_LABELS = 18  # of the syllables of triplets and the shares of quintuplets


def grid_lines(window: Window, step_ticks: int) -> list[GridLine]:
    """Lines with their counting: '2.1' on a bar, '2' on a beat, 'e & a' between while there is room."""
    lines = []
    metre = window.metre
    span = window.end - window.start
    short = metre.beat_ticks % step_ticks == 0 and metre.beat_ticks // step_ticks in (1, 2, 4)
    counts_slots = span // step_ticks <= (MOST_LABELS if short else MOST_LONG_LABELS)
    counts_beats = span // metre.beat_ticks <= MOST_LABELS
    for tick in range(window.start, window.end, step_ticks):
        bar, inside = divmod(tick, metre.bar_ticks)
        beat, rest = divmod(inside, metre.beat_ticks)
        if inside == 0:
            kind, label = "bar", f"{bar + 1}.1"
        elif rest == 0:
            kind, label = "beat", str(beat + 1) if counts_beats else ""
        else:
            kind, label = "slot", part_of_beat(rest, metre) if counts_slots else ""
        lines.append(GridLine(window.x(tick), kind, label))
    lines.append(GridLine(window.x(window.end), "bar", ""))
    return lines
