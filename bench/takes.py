"""Takes: many passes laid on their slots, a hand learned from 64 bars, a beat played by it."""

from __future__ import annotations

import numpy as np

from bench.clock import median_ms
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME
from easy_pocket.core.pattern.voices import DRUMS
from easy_pocket.core.takes.alignment import felt_slots_of, take_slots
from easy_pocket.core.takes.hand import TakeToLearn, learn_hand
from easy_pocket.core.takes.hand_player import played_by
from easy_pocket.core.takes.played import Played, TakeBars, played_from_rows
from easy_pocket.core.takes.sewing import lay, sewn, steadiest, written

VOICES = tuple(DRUMS)[:12]
FEEL = FeelScopes(Feel(swing_percent=57.0, drift_ms=4.0, jitter_ms=3.0))


def played(dice: np.random.Generator, bars: TakeBars, share: float) -> Played:
    rows = []
    for voice in VOICES:
        slots = np.flatnonzero(dice.random(bars.length_ticks // 240) < share)
        times_ms = slots * 240 * bars.tick_ms + dice.normal(0, 7, len(slots))
        rows += [(voice, time_ms, int(dice.integers(40, 120))) for time_ms in times_ms.tolist()]
    return played_from_rows(rows)


def run() -> None:
    dice = np.random.default_rng(1)
    bars = TakeBars(8 * COMMON_TIME.bar_ticks, COMMON_TIME, 104.0)
    passes = [played(dice, bars, 0.4) for _ in range(64)]
    slots = take_slots(passes[0], bars, feel=FEEL)

    def whole() -> None:
        felt = felt_slots_of(VOICES, bars, slots, FEEL)
        laid = [lay(number, one, bars, felt, 12.0) for number, one in enumerate(passes)]
        sews = [one.sew for one in steadiest(laid)]
        written(sewn(laid, sews, bars), bars, FEEL, {})

    hits = sum(map(len, passes))
    print(f"64 passes x 8 bars x 12 voices ({hits} hits) laid, sewn and written: {median_ms(whole, 3):.0f} ms")
    long = TakeBars(64 * COMMON_TIME.bar_ticks, COMMON_TIME, 104.0)
    take = TakeToLearn(played(dice, long, 0.15), long)
    took = median_ms(lambda: learn_hand([take]), 1)
    print(f"a hand learned from 64 bars ({len(take.played)} hits): {took:.0f} ms")
    hand = learn_hand([take])
    beat = Pattern(3840 * 8, tuple(Hit(voice, tick, 96) for voice in VOICES for tick in range(0, 3840 * 8, 240)))
    took = median_ms(lambda: played_by(beat, hand, tempo_bpm=104.0), 5)
    print(f"8 bars x 12 voices ({len(beat.hits)} hits) played by it: {took:.0f} ms")
