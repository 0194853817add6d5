"""What is fixed before a fill is drawn."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from operator import attrgetter

import numpy as np

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.ideas.change import is_free
from easy_pocket.core.ideas.distance import within
from easy_pocket.core.ideas.fill_roles import GHOST
from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.idea_context import IdeaContext, check_voices
from easy_pocket.core.ideas.playable import faults_of_hits
from easy_pocket.core.ideas.taste import NO_TASTE, Taste
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import ms_per_tick

in_order = attrgetter("tick", "voice")
CONTEXT_MS = 200.0  # before and after the window, for limbs that come from there or have to go there
USUALLY_LOUD = 104  # velocity of the strong strokes of most beats
MOST_SOFTER = 40

TIMEKEEPERS = ("hat_closed", "ride", "shaker", "tambourine", "hat_pedal")


@dataclass(frozen=True)
class Frame:
    """What is the same for all candidates of a batch."""

    scene: IdeaContext
    settings: FillSettings
    begin: int
    end: int
    free_voices: tuple[str, ...]
    leaving: tuple[Hit, ...]  # hits of the window that may go
    staying: tuple[Hit, ...]  # and those that are locked
    taste: Taste = NO_TASTE

    @property
    def beats(self) -> float:
        return (self.end - self.begin) / self.scene.metre.pulse_ticks

    @property
    def next_one(self) -> int:
        return self.end if self.end < self.scene.pattern.length_ticks else 0

    @cached_property
    def inside(self) -> list[Hit]:
        """Hits of the window as it is."""
        return within(self.scene.pattern, self.begin, self.end)

    @cached_property
    def rhythm_before(self) -> list[int]:
        """Where the beat is struck in as long a time before the window (in it, where there is none before).

        Ghosts and what keeps time are left out, unless nothing else is there.
        """
        start = self.begin - (self.end - self.begin)
        start = start if start >= 0 else self.begin
        heard = within(self.scene.pattern, start, start + self.end - self.begin)
        strong = {hit.tick - start for hit in heard if hit.voice not in TIMEKEEPERS and hit.velocity >= GHOST}
        return sorted(strong if len(strong) > 1.2 * self.beats else {hit.tick - start for hit in heard})

    @cached_property
    def softer(self) -> int:
        """Steps of velocity by which this beat is played more softly than most (0 or less), so that its fills are."""
        struck = [hit.velocity for hit in self.scene.pattern.hits if hit.voice not in TIMEKEEPERS]
        if not struck:
            return 0
        return int(np.clip(np.percentile(struck, 80) - USUALLY_LOUD, -MOST_SOFTER, 0))

    @cached_property
    def around(self) -> list[Hit]:
        """Hits near the window, from which limbs come and to which they have to go."""
        near = CONTEXT_MS / ms_per_tick(self.scene.tempo_bpm)
        before = within(self.scene.pattern, round(self.begin - near), self.begin)
        return before + within(self.scene.pattern, self.end, round(self.end + near))

    @cached_property
    def faults_after(self) -> int:
        """How many of the hits after the window cannot be played as it is."""
        hits = sorted([*self.around, *within(self.scene.pattern, self.begin, self.end)], key=in_order)
        return sum(hits[fault.index].tick >= self.end for fault in faults_of_hits(hits, self.scene.tempo_bpm))


def frame_of(scene: IdeaContext, settings: FillSettings, begin: int, end: int, taste: Taste = NO_TASTE) -> Frame:
    """Gather what is fixed before a fill is drawn: voices, slots, what goes on under it.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    settings
        What the fill shall be like.
    begin
        First tick of the window.
    end
        Tick at which the window ends, not part of it.
    taste
        What was learned of what is kept.

    Returns
    -------
    Frame
        Voices, slots, and what goes on under the fill.
    """
    pattern = scene.pattern
    voices = check_voices(scene.voices)
    keep = set(settings.keep or ())
    inside = within(pattern, begin, end)
    free_voices = tuple(voice for voice in voices if voice not in pattern.locked_voices and voice not in keep)
    leaving = tuple(hit for hit in inside if hit.voice not in keep and is_free(pattern, hit))
    staying = tuple(hit for hit in inside if hit not in leaving)
    metre = scene.metre
    places = {tick % metre.bar_ticks for tick in range(begin, end, 80)} - pattern.locked_places
    if not free_voices or not places:
        raise EditRefusedError(
            "Everything in this window is locked or goes on, so no fill fits: free a row, or let fewer voices "
            "keep going."
        )
    return Frame(scene, settings, begin, end, free_voices, leaving, staying, taste)
