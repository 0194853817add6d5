"""The demo loop quayside-break: two bars at 104, swung, its backbeat laid back; written here, so its truth is known."""

from __future__ import annotations

from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME

TEMPO_BPM = 104.0
SWING_PERCENT = 57.0
LAG_MS = {"kick": 1.0, "snare": 6.0, "hat_closed": -3.0, "hat_open": -1.0}
# How far each 16th leans, in ms, on top of the swing: the lilt that makes it walk.
LILT_MS = (0.0, 2.0, -3.0, 4.0, 3.5, 1.0, -4.0, 5.0, -1.5, 2.5, -3.0, 3.0, 4.5, 0.5, -2.0, 6.0)

KICK = ("X..x..X...x.....", "X..x...X..X..x..")
SNARE = ("....X..o.o..X..o", "....X..o.o..X.o.")
HATS = ("x.o.x.oox.o.x.o.", "x.o.x.oox.o.x...")
OPEN = ("................", "..............x.")
LEVELS = {"X": 112, "x": 88, "o": 46}
HAT_LEVELS = {"x": 92, "o": 66}


def written() -> Pattern:
    """The break on the grid, each hit with the offset that is its lag and lilt; swing comes with the feel."""
    hits = []
    for voice, bars in (("kick", KICK), ("snare", SNARE), ("hat_closed", HATS), ("hat_open", OPEN)):
        for bar, line in enumerate(bars):
            for slot, mark in enumerate(line):
                if mark == ".":
                    continue
                velocity = HAT_LEVELS.get(mark, 80) if voice == "hat_closed" else LEVELS[mark]
                tick = bar * COMMON_TIME.bar_ticks + slot * 240
                offset_ms = LILT_MS[slot] + LAG_MS[voice]
                hits.append(Hit(voice, tick, velocity - 3 * ((slot + bar) % 3), offset_ms))
    return Pattern(2 * COMMON_TIME.bar_ticks, tuple(hits))
