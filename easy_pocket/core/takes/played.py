"""What was played in one time round, before anything is laid on a grid."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.pattern.pattern import MAX_ALTERNATE
from easy_pocket.core.pattern.timebase import Metre, check_tempo, ms_per_tick
from easy_pocket.core.pattern.voices import check_voice

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
MOST_HITS = 20_000  # of one pass
MOST_PASSES = 256  # of one take
EARLY_MS = 250.0  # so early a hit can still belong to the first slot


@dataclass(frozen=True)
class TakeBars:
    """What a take was played over: how long one time round is, in which metre, how fast.

    start_tick: where in its pattern it begins; ticks and times of a take count from there.
    """

    length_ticks: int
    metre: Metre
    tempo_bpm: float
    start_tick: int = 0

    def __post_init__(self) -> None:
        require_range("The length of a take", self.length_ticks, 60, 512 * 3840, "ticks")
        require_range("The start of a take", self.start_tick, 0, 512 * 3840, "ticks")
        check_tempo(self.tempo_bpm)

    @property
    def tick_ms(self) -> float:
        return ms_per_tick(self.tempo_bpm)

    @property
    def length_ms(self) -> float:
        return self.length_ticks * self.tick_ms

    @property
    def bars(self) -> int:
        return -(-self.length_ticks // self.metre.bar_ticks)


@dataclass(frozen=True)
class Played:
    """Hits as they were played, ascending in time.

    voices: what voice_index points into. time_ms: from where the bars begin, up to their length; early hits of the
    first slot are negative. velocity: 1 to 127. alternate: 0 for the voice's own sound, 1-4 for one of its others.
    """

    voices: tuple[str, ...]
    voice_index: npt.NDArray[np.intp]
    time_ms: Floats
    velocity: Ints
    alternate: Ints

    def __len__(self) -> int:
        return len(self.time_ms)

    @property
    def names(self) -> list[str]:
        """The voice of each hit."""
        return [self.voices[index] for index in self.voice_index.tolist()]

    def only(self, chosen: npt.NDArray[np.bool_]) -> Played:
        return Played(
            self.voices,
            self.voice_index[chosen],
            self.time_ms[chosen],
            self.velocity[chosen],
            self.alternate[chosen],
        )

    @property
    def rows(self) -> list[tuple[str, float, int]]:
        return list(zip(self.names, self.time_ms.tolist(), self.velocity.tolist(), strict=True))

    @property
    def full_rows(self) -> list[tuple[str, float, int, int]]:
        """The same, with which of its voice's sounds each hit had."""
        columns = self.names, self.time_ms.tolist(), self.velocity.tolist(), self.alternate.tolist()
        return list(zip(*columns, strict=True))


def played_from_rows(rows: Iterable[Sequence[Any]]) -> Played:
    """From rows of voice, ms, velocity and, where it is not the voice's own, which of its sounds (1-4).

    Raises BadValueError for a voice there is none of, a time that is no number or far outside, a velocity outside
    1-127, a sound outside 0-4, or more than 20,000 hits.
    """
    rows = list(rows)
    require_range("The number of hits in a pass", len(rows), 0, MOST_HITS)
    voices = tuple(dict.fromkeys(check_voice(str(row[0])) for row in rows))
    place = {voice: number for number, voice in enumerate(voices)}
    time_ms = np.array([float(row[1]) for row in rows])
    velocity = np.array([int(row[2]) for row in rows], dtype=np.int64)
    if len(rows) and not bool(np.all((time_ms >= -10_000) & (time_ms <= 1e8))):
        raise BadValueError("A hit of this pass has a time that cannot be: play the pass again.")
    if len(rows) and not 1 <= int(velocity.min()) <= int(velocity.max()) <= 127:
        raise BadValueError("A hit of this pass has a velocity outside 1 to 127: play the pass again.")
    alternate = np.array([int(row[3]) if len(row) > 3 else 0 for row in rows], dtype=np.int64)
    if len(rows) and not 0 <= int(alternate.min()) <= int(alternate.max()) <= MAX_ALTERNATE:
        raise BadValueError(f"A hit of this pass asks for a sound outside 0 to {MAX_ALTERNATE}: play the pass again.")
    index = np.array([place[str(row[0])] for row in rows], dtype=np.intp)
    order = np.argsort(time_ms, kind="stable")
    return Played(voices, index[order], time_ms[order], velocity[order], alternate[order])


def joined(one: Played, other: Played) -> Played:
    """The hits of both, one on top of the other."""
    return played_from_rows([*one.full_rows, *other.full_rows])


def within(played: Played, bars: TakeBars, step_ticks: int, *, last: bool) -> Played:
    """The hits that belong to this time round.

    A hit nearer to the first slot of the next time round than to the last one of this belongs there; what was
    played so shortly before this one began belongs here.

    Parameters
    ----------
    played
        Hits that were struck, some before and after this time round with them.
    bars
        Bars, metre and tempo of the take.
    step_ticks
        Length of a slot in ticks.
    last
        Whether no time round follows: an early hit of the first slot at its end then comes round to the
        beginning, or stays at the end where one is there.

    Returns
    -------
    Played
        The hits of this time round.
    """
    half_ms = min(step_ticks * bars.tick_ms / 2, EARLY_MS)
    here = (played.time_ms >= -half_ms) & (played.time_ms < bars.length_ms - half_ms)
    found = played.only(here)
    late = played.only((played.time_ms >= bars.length_ms - half_ms) & (played.time_ms < bars.length_ms + half_ms))
    if not last or not len(late):
        return found
    first = {voice for voice, time_ms, _ in found.rows if time_ms < half_ms}
    wrapped = [
        (voice, time_ms if voice in first else time_ms - bars.length_ms, size, sound)
        for voice, time_ms, size, sound in late.full_rows
    ]
    return played_from_rows([*found.full_rows, *wrapped])
