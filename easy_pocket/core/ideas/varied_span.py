"""The bars a variation may change: what is in them, where there is room, and how likely each change is."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from easy_pocket.core.ideas.change import Change, is_free
from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.ideas.placement import Placement
from easy_pocket.core.pattern.metrical import weights
from easy_pocket.core.pattern.pattern import Hit, Pattern


@dataclass(frozen=True)
class Span:
    """The bars a variation may change, and the grid it works on."""

    scene: IdeaContext
    begin: int
    end: int
    step: int

    @property
    def pattern(self) -> Pattern:
        return self.scene.pattern

    @cached_property
    def hits(self) -> list[Hit]:
        """Those that may change."""
        return [hit for hit in self.pattern.hits if self.begin <= hit.tick < self.end and is_free(self.pattern, hit)]

    def empty(self, voice: str) -> list[int]:
        """Slots on which the voice has no hit and may have one."""
        slots = range(-(-self.begin // self.step) * self.step, self.end, self.step)
        return [
            tick
            for tick in slots
            if (voice, tick) not in self.pattern.by_place and is_free(self.pattern, Hit(voice, tick, 1))
        ]

    def of(self, *voices: str) -> list[Hit]:
        return [hit for hit in self.hits if hit.voice in voices]

    @cached_property
    def _weights(self) -> dict[int, int]:
        slots = range(-(-self.begin // self.step) * self.step, self.end, self.step)
        ticks = sorted({*slots, *(hit.tick for hit in self.hits)})
        return dict(zip(ticks, weights(ticks, self.scene.metre).tolist(), strict=True))

    def weight(self, tick: int) -> int:
        """Metrical weight of a slot, or of a hit that may change."""
        return self._weights[tick]

    @cached_property
    def placement(self) -> Placement:
        return Placement(self.pattern, self.begin, self.end, self.scene.tempo_bpm)

    @cached_property
    def odds(self) -> dict[tuple[str, str], float]:
        """How likely a change is, by its kind and words, where that is not 1; 0: only when it is all that was asked."""
        return {}

    def likely(self, change: Change, odds: float) -> Change:
        self.odds[change.kind, change.words] = odds
        return change

    @cached_property
    def catalogue(self) -> dict[str, list[Change]]:
        """What could be done, by kind, as far as it was asked for."""
        return {}
