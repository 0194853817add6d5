"""The whole song: parts by sections, and when each section is played."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.pattern.timebase import COMMON_TIME, MAX_BARS, Metre, ms_per_tick
from easy_pocket.core.song.part import Part
from easy_pocket.core.song.section import Section

DOUBLE_CHOICES = ("keep", "drop", "offset")


@dataclass(frozen=True)
class Span:
    """One time a section is played: turn of turns, both from 1. first_bar counts from 1 through the song."""

    number: int
    section: Section
    turn: int
    start_tick: int
    ticks: int
    start_ms: float
    tempo_bpm: float
    metre: Metre
    first_bar: int

    @property
    def turns(self) -> int:
        return self.section.repeats

    @property
    def last_turn(self) -> bool:
        return self.turn == self.section.repeats

    @property
    def bars(self) -> int:
        return self.ticks // self.metre.bar_ticks

    @property
    def length_ms(self) -> float:
        return self.ticks * ms_per_tick(self.tempo_bpm)


@dataclass(frozen=True)
class Arrangement:
    """Parts and sections of a song.

    collision_choices: what is done where two parts strike a voice at one moment, by the keys of the parts (the smaller
    first) and the voice.

    Raises BadValueError for a song of more than 512 bars, however short they are, or longer than 512 bars of 4/4.
    """

    tempo_bpm: float
    metre: Metre = COMMON_TIME
    parts: tuple[Part, ...] = ()
    sections: tuple[Section, ...] = ()
    seed: int = 1
    collision_choices: Mapping[tuple[int, int, str], str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        bars = sum(section.bars * section.repeats for section in self.sections)
        if bars > MAX_BARS or self.length_ticks > MAX_BARS * 3840:
            raise BadValueError(
                f"The song has {bars} bars with its repeats; {MAX_BARS} of 4/4 fit. Take bars or repeats away."
            )

    def metre_of(self, section: Section) -> Metre:
        return section.metre or self.metre

    @cached_property
    def spans(self) -> tuple[Span, ...]:
        found: list[Span] = []
        tick, bar, ms = 0, 1, 0.0
        for section in self.sections:
            metre, tempo_bpm = self.metre_of(section), section.tempo_bpm or self.tempo_bpm
            for turn in range(1, section.repeats + 1):
                ticks = section.bars * metre.bar_ticks
                found.append(Span(len(found), section, turn, tick, ticks, ms, tempo_bpm, metre, bar))
                tick, bar = tick + ticks, bar + section.bars
                ms += ticks * ms_per_tick(tempo_bpm)
        return tuple(found)

    @property
    def length_ticks(self) -> int:
        return sum(one.bars * one.repeats * self.metre_of(one).bar_ticks for one in self.sections)

    @cached_property
    def length_ms(self) -> float:
        return self.spans[-1].start_ms + self.spans[-1].length_ms if self.spans else 0.0

    @cached_property
    def bar_starts_ms(self) -> tuple[float, ...]:
        """When each bar of the song begins, and its end: bars + 1 of them."""
        starts = [span.start_ms + bar * span.length_ms / span.bars for span in self.spans for bar in range(span.bars)]
        return (*starts, self.length_ms)

    @property
    def bars(self) -> int:
        return sum(section.bars * section.repeats for section in self.sections)

    def part(self, key: int) -> Part | None:
        return next((part for part in self.parts if part.key == key), None)
