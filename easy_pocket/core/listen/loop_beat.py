"""The beat that the groups of a loop make on another kit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.listen.groove import slots_and_offsets
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.sound_groups import LEFT_OUT, Group
from easy_pocket.core.pattern.pattern import MAX_OFFSET_MS, Hit, Pattern
from easy_pocket.core.pattern.timebase import ms_per_tick, place_name
from easy_pocket.core.sound.velocity import LOUDNESS_POWER

TOP_VELOCITY = 116  # of a group's loudest hit
Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class LoopBeat:
    """A loop's hits as a pattern. certainty: shape (n,) in the pattern's order. left_out: hits before bar one."""

    pattern: Pattern
    tempo_bpm: float
    certainty: Floats
    left_out: int

    def doc(self) -> list[dict[str, object]]:
        return [
            {
                "voice": hit.voice,
                "place": place_name(hit.tick, self.pattern.metre),
                "tick": hit.tick,
                "offset_ms": hit.offset_ms,
                "velocity": hit.velocity,
                "certainty": round(float(sure), 3),
            }
            for hit, sure in zip(self.pattern.hits, self.certainty, strict=True)
        ]


def beat_from_groups(onsets: Onsets, reading: Reading, groups: Sequence[Group]) -> LoopBeat:
    """The loop's rhythm: every hit of every group on its slot, with its true offset.

    A hit is as loud as it is within its group. Two hits of a voice in one slot: the second goes to the nearest
    free tick, none is lost. A hit of a trimmed loop that comes before the first line is the first slot's, early.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    groups
        Which hits each voice plays.

    Returns
    -------
    LoopBeat
        The pattern, and the grid it is written on.
    """
    slot, offset_ms = slots_and_offsets(onsets, reading)
    per_slot = reading.metre.bar_ticks / reading.slots_per_bar
    length = reading.bars * reading.metre.bar_ticks
    tick_ms = ms_per_tick(reading.tempo_bpm)
    places: dict[tuple[str, int], tuple[Hit, float]] = {}
    left_out = 0
    for group in groups:
        if group.voice == LEFT_OUT:
            continue
        own = list(group.hits)
        loudest = max((float(onsets.level[index]) for index in own), default=1.0)
        for index, sure in zip(own, group.certainty, strict=True):
            written = round(slot[index] * per_slot)
            if not 0 <= written < length:
                left_out += 1
                continue
            level = float(onsets.level[index]) / max(loudest, 1e-9)
            velocity = int(np.clip(round(TOP_VELOCITY * level ** (1 / LOUDNESS_POWER)), 1, 127))
            tick, offset = written, float(np.clip(offset_ms[index], -MAX_OFFSET_MS, MAX_OFFSET_MS))
            known = places.get((group.voice, tick))
            if known and abs(known[0].offset_ms - offset) < 1.0:
                if known[0].velocity < velocity:  # one sound that two groups share
                    places[group.voice, tick] = (replace(known[0], velocity=velocity), sure)
                continue
            while (group.voice, tick) in places and tick + 1 < length:
                tick += 1
            offset -= (tick - written) * tick_ms
            places[group.voice, tick] = (Hit(group.voice, tick, velocity, offset), sure)
    pattern = Pattern(length, tuple(hit for hit, _ in places.values()), reading.metre)
    certainty = np.array([places[hit.voice, hit.tick][1] for hit in pattern.hits])
    return LoopBeat(pattern, reading.tempo_bpm, certainty, left_out)
