"""From written to played: every hit with its ledger.

Every stage adds named amounts in ms, in velocity steps, or both; played = straight + the sum of the amounts. They
are listed in stages.py.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.density import sounding_at
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.looseness import SLOT_TICKS
from easy_pocket.core.feel.stages import STAGES, TIME_STAGES, VELOCITY_STAGES, Loose, Playing, swing_of
from easy_pocket.core.pattern.pattern import HitArrays, Pattern
from easy_pocket.core.pattern.timebase import Metre, check_tempo, ms_per_tick

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class LedgerLine:
    """Why one hit is where it is: `played_ms == straight_ms + sum(amounts_ms.values())`."""

    voice: str
    tick: int
    straight_ms: float
    played_ms: float
    amounts_ms: Mapping[str, float]
    written_velocity: int
    velocity: int
    amounts_velocity: Mapping[str, int]

    @property
    def offset_ms(self) -> float:
        return self.played_ms - self.straight_ms


@dataclass(frozen=True)
class Performance:
    """Played hits as columns, in the pattern's order.

    straight_ms, played_ms: shape (n,), from the pattern's start; a hit before the start is negative.
    amounts_ms: shape (stages, n) after TIME_STAGES; amounts_velocity: (stages, n) after VELOCITY_STAGES.
    swing: per voice the ticks of a swung pair and the share of its first note.
    """

    hits: HitArrays
    tempo_bpm: float
    length_ms: float
    metre: Metre
    straight_ms: Floats
    played_ms: Floats
    velocity: Ints
    amounts_ms: Floats
    amounts_velocity: Ints
    swing: tuple[tuple[float, float], ...] = ()
    heard: npt.NDArray[np.bool_] | None = None  # which hits the density lets sound; None is all of them

    @property
    def offset_ms(self) -> Floats:
        return self.played_ms - self.straight_ms

    @property
    def loop_ms(self) -> Floats:
        """When each hit sounds within the loop: early hits on the first slot wrap to its end."""
        wrapped = np.mod(self.played_ms, self.length_ms)
        # A hit a rounding error before the start comes out as the length itself.
        return np.where(wrapped >= self.length_ms, 0.0, wrapped)

    def ledger(self, index: int) -> LedgerLine:
        return LedgerLine(
            voice=self.hits.voices[self.hits.voice_index[index]],
            tick=int(self.hits.tick[index]),
            straight_ms=float(self.straight_ms[index]),
            played_ms=float(self.played_ms[index]),
            amounts_ms=dict(zip(TIME_STAGES, self.amounts_ms[:, index].tolist(), strict=True)),
            written_velocity=int(self.hits.velocity[index]),
            velocity=int(self.velocity[index]),
            amounts_velocity=dict(zip(VELOCITY_STAGES, self.amounts_velocity[:, index].tolist(), strict=True)),
        )


def perform(
    pattern: Pattern,
    feel: FeelScopes | None = None,
    *,
    tempo_bpm: float,
    straight: bool = False,
    loop: bool = True,
    pass_number: int = 1,
) -> Performance:
    """Play a pattern: give every hit its time and its velocity.

    Parameters
    ----------
    pattern
        What is written.
    feel
        Settings of the stack, the part and its voices; None plays it as written.
    tempo_bpm
        Quarter notes a minute, 20 to 400.
    straight
        Every hit on its written slot, with its own velocity.
    loop
        The last hit also keeps its distance from the first of the next pass.
    pass_number
        From 1; it matters to looseness that runs on.

    Returns
    -------
    Performance
        Columns with a row for each hit, and for each stage of the feel how many ms and velocity steps it adds.

    Raises
    ------
    BadValueError
        For a tempo outside its range.

    Examples
    --------
    >>> from easy_pocket.core.pattern.pattern import Hit, Pattern
    >>> from easy_pocket.core.feel.feel import Feel
    >>> sixteenths = Pattern(1920, tuple(Hit("hat_closed", tick, 90) for tick in range(0, 1920, 240)))
    >>> swung = perform(sixteenths, FeelScopes(Feel(swing_percent=60.0)), tempo_bpm=120)
    >>> swung.played_ms[:4].round(3).tolist()
    [0.0, 150.0, 250.0, 400.0]
    >>> round(swung.ledger(1).amounts_ms["swing"], 3)
    25.0
    """
    passes_before = pass_number - 1
    performance = perform_hits(
        pattern.arrays,
        pattern.length_ticks,
        pattern.metre,
        feel,
        tempo_bpm=tempo_bpm,
        straight=straight,
        loop=loop,
        loose=Loose(passes_before * -(-pattern.length_ticks // SLOT_TICKS), passes_before),
    )
    heard = _heard(pattern, feel)
    return performance if heard is None else replace(performance, heard=heard)


def perform_hits(
    hits: HitArrays,
    length_ticks: int,
    metre: Metre,
    feel: FeelScopes | None = None,
    *,
    tempo_bpm: float,
    straight: bool = False,
    loop: bool = True,
    loose: Loose = Loose(),
) -> Performance:
    """As `perform`, of hits as columns in order of place; density is not asked here.

    Parameters
    ----------
    hits
        Hits as columns.
    length_ticks
        Length of the pattern in ticks.
    metre
        Metre of the bars.
    feel
        Settings of the stack, the part and its voices; None plays it as written.
    tempo_bpm
        Quarter notes a minute.
    straight
        Whether every hit stays on its written slot, with its own velocity.
    loop
        Whether the last hit also keeps its distance from the first of the next pass.
    loose
        Where the looseness goes on from.

    Returns
    -------
    Performance
        Columns in the order of hits.
    """
    check_tempo(tempo_bpm)
    tick_ms = ms_per_tick(tempo_bpm)
    straight_ms = hits.tick.astype(np.float64) * tick_ms
    count, length_ms = len(hits.tick), length_ticks * tick_ms
    amounts_ms = np.zeros((len(TIME_STAGES), count))
    amounts_velocity = np.zeros((len(VELOCITY_STAGES), count), dtype=np.int64)
    scopes = feel or FeelScopes()
    settings = [Feel() if straight or not count else scopes.resolve(voice) for voice in hits.voices]
    play = Playing(
        hits,
        metre,
        tempo_bpm,
        length_ms if loop else None,
        scopes,
        settings,
        loose,
        straight_ms,
        dict(zip(TIME_STAGES, amounts_ms, strict=True)),
        dict(zip(VELOCITY_STAGES, amounts_velocity, strict=True)),
    )
    if not straight and count:
        for stage in STAGES:
            stage.run(play)
    pairs, shares = swing_of(settings, tick_ms)
    return Performance(
        hits=hits,
        tempo_bpm=tempo_bpm,
        length_ms=length_ms,
        metre=metre,
        straight_ms=straight_ms,
        played_ms=play.played_ms,
        velocity=play.velocity,
        amounts_ms=amounts_ms,
        amounts_velocity=amounts_velocity,
        swing=tuple(zip(pairs.tolist(), shares.tolist(), strict=True)),
    )


def _heard(pattern: Pattern, feel: FeelScopes | None) -> npt.NDArray[np.bool_] | None:
    if feel is None:
        return None
    percent_of = {voice: float(feel.resolve(voice).density_percent or 0.0) for voice in pattern.arrays.voices}
    heard = sounding_at(pattern, percent_of)
    return None if heard.all() else heard


def only_sounding(performance: Performance) -> Performance:
    """Without the hits that the density leaves out."""
    heard = performance.heard
    if heard is None:
        return performance
    hits = performance.hits
    number = np.cumsum(heard) - 1
    kept = replace(
        hits,
        voice_index=hits.voice_index[heard],
        tick=hits.tick[heard],
        velocity=hits.velocity[heard],
        offset_ms=hits.offset_ms[heard],
        alternate=hits.alternate[heard],
        articulated=tuple(
            (int(number[index]), articulation) for index, articulation in hits.articulated if heard[index]
        ),
    )
    return replace(
        performance,
        hits=kept,
        straight_ms=performance.straight_ms[heard],
        played_ms=performance.played_ms[heard],
        velocity=performance.velocity[heard],
        amounts_ms=performance.amounts_ms[:, heard],
        amounts_velocity=performance.amounts_velocity[:, heard],
        heard=None,
    )
